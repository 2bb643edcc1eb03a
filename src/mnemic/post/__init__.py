"""Ways in and out for mail: files, and the SMTP listener."""

from mnemic.post.files import FileMessage, NotMailError, read_files
from mnemic.post.smtp import Delivery, PortInUseError, SmtpListener

__all__ = [
    "Delivery",
    "FileMessage",
    "NotMailError",
    "PortInUseError",
    "SmtpListener",
    "read_files",
]
