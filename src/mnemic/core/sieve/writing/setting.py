"""Whom a script is for: the owner, and what the server can do."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import UTC, tzinfo

from mnemic.core.canonical import canonical_path

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
    keyword a label has, by its folded name; labels that are not there are given one.
    ``folders`` are the names of those with a role, ``names`` of those that are there, by their
    canonical paths; others are named by ``prefix`` and ``separator`` (RFC 9051, section 5.1).
    """

    me: tuple[str, ...] = ()
    account: str | None = None
    contacts: frozenset[str] = frozenset()
    timezone: tzinfo = UTC
    capabilities: frozenset[str] = USUAL
    keywords: Mapping[str, str] = field(default_factory=dict)
    folders: Mapping[str, str] = field(default_factory=dict)
    names: Mapping[tuple[str, ...], str] = field(default_factory=dict)
    separator: str = "/"
    prefix: str = ""

    def name_of(self, path: str) -> str:
        """What a folder is called on the server."""
        known = self.names.get(canonical_path(path))
        return known or self.prefix + self.separator.join(path.split("/"))

    def can(self, capability: str) -> bool:
        """Whether the server can do it."""
        return capability in self.capabilities
