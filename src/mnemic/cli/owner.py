"""What several commands ask about the owner: time zone and address book."""

from pathlib import Path
from zoneinfo import ZoneInfo

import click

from mnemic.core.canonical import canonical_address

__all__ = ["contacts_of", "timezone"]


def timezone(
    _context: click.Context, _option: click.Parameter, value: str | None
) -> ZoneInfo | None:
    """An option's callback: a time zone by its name; None where none is given."""
    if value is None:
        return None
    try:
        return ZoneInfo(value)
    except (KeyError, ValueError, OSError) as error:
        raise click.BadParameter(f"{value!r} is no time zone like Europe/Lisbon") from error


def contacts_of(file: Path | None) -> frozenset[str]:
    """The addresses of a vCard file, in canonical form. Raises OSError."""
    if file is None:
        return frozenset()
    from mnemic.post.vcard import addresses_of

    return frozenset(map(canonical_address, addresses_of(file.read_bytes())))
