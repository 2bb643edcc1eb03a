"""Ways in and out for mail: files, and the SMTP listener."""

from mnemic.post.files import FileMessage, NotMailError, read_files
from mnemic.post.listening import PortInUseError, listening_socket
from mnemic.post.smtp import Delivery, SmtpListener

__all__ = [
    "Delivery",
    "FileMessage",
    "NotMailError",
    "PortInUseError",
    "SmtpListener",
    "listening_socket",
    "read_files",
]
