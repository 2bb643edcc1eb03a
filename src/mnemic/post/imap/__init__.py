"""Mail on a server, by IMAP (RFC 9051, RFC 3501): what is asked of it, and nothing of what for."""

from mnemic.post.access import Access, Secret, Security
from mnemic.post.failures import (
    AccessRefusedError,
    CommandRefusedError,
    NotFollowedError,
    ServerError,
    ServerLostError,
    UnreachableError,
)
from mnemic.post.imap.connecting import connected
from mnemic.post.imap.idling import idle
from mnemic.post.imap.server_mailbox import (
    FetchedMessage,
    FolderState,
    Glimpse,
    ListedFolder,
    ServerMailbox,
)

__all__ = [
    "Access",
    "AccessRefusedError",
    "CommandRefusedError",
    "FetchedMessage",
    "FolderState",
    "Glimpse",
    "ListedFolder",
    "NotFollowedError",
    "Secret",
    "Security",
    "ServerError",
    "ServerLostError",
    "ServerMailbox",
    "UnreachableError",
    "connected",
    "idle",
]
