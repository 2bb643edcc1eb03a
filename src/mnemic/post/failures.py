"""What can go wrong with a mail server, each in words, with what to do."""

from mnemic.core import MnemicError

__all__ = [
    "AccessRefusedError",
    "CommandRefusedError",
    "NotFollowedError",
    "ServerError",
    "ServerLostError",
    "UnreachableError",
]


class ServerError(MnemicError):
    """Something is wrong with a server; ``field`` is what of the connection it is about."""

    def __init__(self, saying: str, field: str = "imap") -> None:
        super().__init__(saying)
        self.field = field


class UnreachableError(ServerError):
    """There is no such server, it does not answer, or its certificate can't be trusted."""


class AccessRefusedError(ServerError):
    """The server refuses the user name or the password. It is not tried again unasked."""


class ServerLostError(ServerError):
    """The connection broke, or the server is busy: what was begun may be tried again."""


class CommandRefusedError(ServerError):
    """The server understood a command and will not do it: a folder's name, a quota."""


class NotFollowedError(ServerError):
    """The server's answers contradict each other or make no sense: nothing is concluded."""
