"""Passes over the connected accounts of one mailbox, each after the other that is under way."""

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path

from mnemic.core import MnemicError
from mnemic.jobs.server.handing_over import bring_back, hand_over
from mnemic.jobs.server.one_at_a_time import one_at_a_time
from mnemic.jobs.server.pass_report import PassReport
from mnemic.jobs.server.passing import IN_STEP, pass_over
from mnemic.jobs.server.script_upkeep import ScriptUpkeep
from mnemic.store import Database
from mnemic.store.server.connections import Connection, connection_of
from mnemic.store.server.secret_key import SecretKey
from mnemic.store.server.server_scripts import ScriptPlace

__all__ = ["NotConnectedError", "Passes"]


class NotConnectedError(MnemicError):
    """An account that is connected no more."""


@dataclass(frozen=True)
class Passes:
    """What passes need: ``key`` gives the key of kept passwords, ``locks`` is the folder of locks.

    ``largest`` is how many octets a message may have that is fetched whole. ``on_pass`` is called
    with what each pass came to.
    """

    database: Database
    key: Callable[[], SecretKey]
    locks: Path
    largest: int
    upkeep: ScriptUpkeep = field(default_factory=ScriptUpkeep)
    on_pass: Callable[[PassReport], object] = lambda report: None  # noqa: ARG005 -- nobody listens

    def over(self, account_id: int) -> tuple[str, PassReport]:
        """One whole pass: the state it leaves, and what it came to. Raises WrongKeyError."""
        with one_at_a_time(self.locks, account_id):
            return self._over(account_id)

    def hand_over(self, account_id: int, place: ScriptPlace) -> None:
        """Let its server run an account's rules. Raises WrongKeyError, and as ``hand_over``."""
        with one_at_a_time(self.locks, account_id):
            hand_over(self.database, self._connection(account_id), place, now=datetime.now(UTC))

    def bring_back(self, account_id: int) -> None:
        """Let them run here again. Raises WrongKeyError, and as ``bring_back``."""
        with one_at_a_time(self.locks, account_id):
            bring_back(self.database, self._connection(account_id))
            self._over(account_id)

    def _over(self, account_id: int) -> tuple[str, PassReport]:
        key = self.key()
        self.upkeep.settle(self.database, account_id, key)
        made = pass_over(self.database, account_id, key, largest=self.largest)
        self.on_pass(made[1])
        if made[0] == IN_STEP:
            self.upkeep.keep(self.database, account_id, key)
        return made

    def _connection(self, account_id: int) -> Connection:
        with self.database.reading() as session:
            connection = connection_of(session, account_id, self.key())
        if connection is None:
            raise NotConnectedError("there is no such account any more")
        return connection
