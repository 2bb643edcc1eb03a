"""Whom a script is for: the owner, and what the server can do."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import UTC, tzinfo

__all__ = ["USUAL", "Setting"]

#: What is taken for granted of a server that says nothing.
USUAL = frozenset(
    {
        "fileinto",
        "copy",
        "imap4flags",
        "envelope",
        "body",
        "subaddress",
        "relational",
        "date",
        "variables",
        "vacation",
        "mailbox",
        "special-use",
        "comparator-i;ascii-numeric",
        "comparator-i;unicode-casemap",
    }
)


@dataclass(frozen=True, slots=True)
class Setting:
    """What a script's text depends on beside the rules.

    ``me`` are the owner's addresses in canonical form, of which ``account`` is the one the script
    is for; ``contacts`` is the address book as of now, in canonical form. ``keywords`` says which
    keyword a label has, by its folded name; labels that are not there are given one. ``separator``
    stands between the levels of a folder's path (RFC 9051, section 5.1).
    """

    me: tuple[str, ...] = ()
    account: str | None = None
    contacts: frozenset[str] = frozenset()
    timezone: tzinfo = UTC
    capabilities: frozenset[str] = USUAL
    keywords: Mapping[str, str] = field(default_factory=dict)
    folders: Mapping[str, str] = field(default_factory=dict)
    separator: str = "/"

    def can(self, capability: str) -> bool:
        """Whether the server can do it."""
        return capability in self.capabilities
