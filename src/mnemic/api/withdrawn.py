"""Questions that take a while, and that whoever asked may withdraw by hanging up."""

from collections.abc import Callable

from flask import request

from mnemic.core import MnemicError

__all__ = ["NobodyWaitsError", "still_asked"]


class NobodyWaitsError(MnemicError):
    """Whoever asked has hung up, for a newer question most likely."""


def still_asked() -> Callable[[], None]:
    """A function that raises NobodyWaitsError once the connection of this request is closed."""
    gone: Callable[[], bool] | None = request.environ.get("waitress.client_disconnected")

    def check() -> None:
        if gone is not None and gone():
            raise NobodyWaitsError("the question was withdrawn")

    return check
