"""While Mnemic runs, connected accounts are kept in step, each by a thread of its own."""

import random
import threading
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from itertools import chain

from mnemic.core import MnemicError
from mnemic.jobs.server.passes import Passes
from mnemic.jobs.server.passing import IN_STEP, access_to
from mnemic.post.imap import idle
from mnemic.store import Database
from mnemic.store.server.connections import connection_of, connections
from mnemic.store.server.server_scripts import server_script

__all__ = ["KeepingInStep"]

#: Seconds between two looks at a server where nothing has happened here.
_LOOKS_EVERY = 60.0

#: The same where the server sorts: it tells of new mail in the inbox alone.
_LOOKS_WHERE_SORTED = 15.0

#: Seconds between two looks at whether something has happened here.
_NOTICES_EVERY = 1.0

#: Seconds until a server that failed is tried again: doubling, up to five minutes.
_FIRST_PAUSE, _LONGEST_PAUSE = 1.0, 300.0


@dataclass
class KeepingInStep:
    """Keeps connected accounts in step until ``stopping`` is set; ``run`` is for a thread."""

    database: Database
    passes: Passes
    stopping: threading.Event

    def run(self) -> None:
        """Start a thread for each account that is connected, and wait for them in the end."""
        threads: dict[int, list[threading.Thread]] = {}
        with self.database.change_counter() as changes:
            looked = None
            while not self.stopping.wait(_NOTICES_EVERY if looked is not None else 0):
                if (now := changes()) == looked:
                    continue
                looked = now
                for account_id in self._accounts():
                    if not any(working.is_alive() for working in threads.get(account_id, [])):
                        threads[account_id] = self._start(account_id)
        for thread in chain.from_iterable(threads.values()):
            thread.join()

    def _start(self, account_id: int) -> list[threading.Thread]:
        """A thread that makes the passes, and one that listens whether one is to be made."""
        happened = threading.Event()
        threads = [
            threading.Thread(target=work, args=(account_id, happened))
            for work in (self._keep, self._listen)
        ]
        for thread in threads:
            thread.start()
        return threads

    def _accounts(self) -> list[int]:
        with suppress(MnemicError), self.database.reading() as session:
            return [connection.account.id for connection in connections(session)]
        return []

    def _keep(self, account_id: int, happened: threading.Event) -> None:
        """Pass over an account again and again, until it is there no more."""
        pause = _FIRST_PAUSE
        with self.database.change_counter() as changes:
            looks_every = _LOOKS_EVERY
            while not self.stopping.is_set():
                looked = changes()  # what is done here during the pass asks for another one
                with suppress(MnemicError), self.database.reading() as session:
                    connection = connection_of(session, account_id)
                    if connection is None:
                        return
                    if connection.refused:  # nobody's account is to be locked by trying
                        self._wait(changes, looked, happened, _LOOKS_EVERY)
                        continue
                    script = server_script(session, account_id)
                    sorts_there = script is not None and script.sorts_there
                    looks_every = _LOOKS_WHERE_SORTED if sorts_there else _LOOKS_EVERY
                happened.clear()
                state = self._pass(account_id)
                if state == IN_STEP:
                    pause = _FIRST_PAUSE
                    self._wait(changes, looked, happened, looks_every)
                else:
                    self.stopping.wait(pause * random.uniform(0.75, 1.25))  # noqa: S311 -- no secret
                    pause = min(2 * pause, _LONGEST_PAUSE)

    def _pass(self, account_id: int) -> str:
        try:
            return self.passes.over(account_id)[0]
        except MnemicError as error:
            return str(error)

    def _listen(self, account_id: int, happened: threading.Event) -> None:
        """Let the server tell of new mail as it comes, as long as it does."""
        while not self.stopping.wait(_NOTICES_EVERY):
            with suppress(MnemicError):
                with self.database.reading() as session:
                    connection = connection_of(session, account_id, self.passes.key())
                if connection is None:
                    return
                if connection.state != IN_STEP:
                    continue  # passes are made until it is
                idle(access_to(connection.reach), happened.set, self.stopping)
            self.stopping.wait(_LOOKS_EVERY)

    def _wait(
        self, changes: Callable[[], int], looked: int, happened: threading.Event, longest: float
    ) -> None:
        """Wait so many seconds, or until something was done here or has happened there."""
        for _ in range(int(longest / _NOTICES_EVERY)):
            if happened.wait(_NOTICES_EVERY) or self.stopping.is_set() or changes() != looked:
                return
