"""Passes over connected accounts come one after the other, whichever process makes them."""

import fcntl
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

__all__ = ["one_at_a_time"]

#: Seconds that a pass waits for another one.
_WAITS = 60

_LOOKS_EVERY = 0.1


@contextmanager
def one_at_a_time(folder: Path, account_id: int) -> Iterator[None]:
    """Wait for another pass over the account to end; one that waited long enough goes on.

    ``folder`` is where all that work on the same mailbox keep their locks.
    """
    folder.mkdir(parents=True, exist_ok=True)
    with (folder / f"pass-{account_id}.lock").open("a") as file:
        end = time.monotonic() + _WAITS
        while time.monotonic() < end:
            try:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
                break
            except OSError:
                time.sleep(_LOOKS_EVERY)
        yield
