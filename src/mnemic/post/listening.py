"""Sockets to listen on, on this computer alone."""

import errno
import socket

from mnemic.core import MnemicError

__all__ = ["PortInUseError", "listening_socket"]


class PortInUseError(MnemicError):
    """Another program listens on the port already."""


def listening_socket(host: str, port: int, *, setting: str) -> socket.socket:
    """A socket that listens on the address; port 0 takes any that is free.

    Raises PortInUseError, which names the ``setting`` to change.
    """
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    try:
        return socket.create_server((host, port), family=family)
    except OSError as error:
        if error.errno != errno.EADDRINUSE:
            raise
        raise PortInUseError(
            f"port {port} is in use, perhaps by a Mnemic that runs already; stop it, "
            f"or set {setting} to another port"
        ) from error
