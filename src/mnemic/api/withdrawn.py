"""Questions that take a while, and that whoever asked may withdraw by hanging up."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from threading import Lock

from flask import request

from mnemic.core import MnemicError

__all__ = ["LongQuestions", "NobodyWaitsError", "still_asked"]

#: Seconds between two looks at who still waits for a turn.
_LOOK = 0.1


class NobodyWaitsError(MnemicError):
    """Whoever asked has hung up, for a newer question most likely."""


def still_asked() -> Callable[[], None]:
    """A function that raises NobodyWaitsError once the connection of this request is closed."""
    gone: Callable[[], bool] | None = request.environ.get("waitress.client_disconnected")

    def check() -> None:
        if gone is not None and gone():
            raise NobodyWaitsError("the question was withdrawn")

    return check


class LongQuestions:
    """Questions of a kind that look through all mail while nobody types: answered one at a time.

    Several side by side would work out the same, each with memory of its own, and all of them
    would end late; one after the other the next finds most of it worked out. Questions of another
    kind are not held up: an order check that is quick does not wait for proposals that are not.
    """

    def __init__(self) -> None:
        self._turn = Lock()

    @contextmanager
    def in_turn(self) -> Iterator[Callable[[], None]]:
        """Wait for the turn of this request; what is given is ``still_asked`` of it.

        Nothing may be held meanwhile, no session least of all: a log grows while one reads on.
        Raises NobodyWaitsError where the connection is closed before.
        """
        check = still_asked()
        while not self._turn.acquire(timeout=_LOOK):
            check()
        try:
            check()
            yield check
        finally:
            self._turn.release()
