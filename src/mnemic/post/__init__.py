"""Ways in and out for mail: files, SMTP, and what Mnemic writes itself.

What few commands need stands apart: ``drop_folder``, ``vcard``, ``letters``.
"""

from mnemic.post.export import ExportedMessage, mailbox_archive, mbox_octets, write_maildir
from mnemic.post.files import FileMessage, NotMailError, read_files
from mnemic.post.listening import PortInUseError, listening_socket
from mnemic.post.smtp import SIZE_LIMIT, Delivery, SmtpListener

__all__ = [
    "SIZE_LIMIT",
    "Delivery",
    "ExportedMessage",
    "FileMessage",
    "NotMailError",
    "PortInUseError",
    "SmtpListener",
    "listening_socket",
    "mailbox_archive",
    "mbox_octets",
    "read_files",
    "write_maildir",
]
