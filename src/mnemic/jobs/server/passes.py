"""Passes over the connected accounts of one mailbox, each after the other that is under way."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from mnemic.jobs.server.one_at_a_time import one_at_a_time
from mnemic.jobs.server.pass_report import PassReport
from mnemic.jobs.server.passing import pass_over
from mnemic.store import Database
from mnemic.store.server.secret_key import SecretKey

__all__ = ["Passes"]


@dataclass(frozen=True)
class Passes:
    """What passes need: ``key`` gives the key of kept passwords, ``locks`` is the folder of locks.

    ``largest`` is how many octets a message may have that is fetched whole.
    """

    database: Database
    key: Callable[[], SecretKey]
    locks: Path
    largest: int

    def over(self, account_id: int) -> tuple[str, PassReport]:
        """One whole pass: the state it leaves, and what it came to. Raises WrongKeyError."""
        with one_at_a_time(self.locks, account_id):
            return pass_over(self.database, account_id, self.key(), largest=self.largest)
