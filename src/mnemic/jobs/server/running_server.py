"""Whether a server of Mnemic runs on a mailbox, and where: whoever wants a pass asks it."""

import fcntl
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

__all__ = ["address_of_server", "running_at"]

_NAME = "server.lock"


@contextmanager
def running_at(folder: Path, address: str) -> Iterator[None]:
    """As long as the block lasts, a server runs at ``address``. The lock goes with its process.

    ``folder`` is where all that work on the same mailbox keep their locks. Of several servers the
    first is asked.
    """
    folder.mkdir(parents=True, exist_ok=True)
    with (folder / _NAME).open("a+") as file:
        if _taken(file.fileno()):
            file.truncate(0)
            file.write(address)
            file.flush()
        yield


def address_of_server(folder: Path) -> str | None:
    """Where a server runs on the mailbox; None where none does."""
    try:
        with (folder / _NAME).open() as file:
            return None if _taken(file.fileno()) else file.read() or None
    except OSError:
        return None


def _taken(number: int) -> bool:
    """Whether the lock was there to be taken."""
    try:
        fcntl.flock(number, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    return True
