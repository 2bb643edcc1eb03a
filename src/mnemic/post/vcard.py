"""Contacts from and to vCard: RFC 6350 (4.0), and RFC 2426 (3.0) read alike.

A card is kept as it came, so that what Mnemic has no use for (telephones, pictures) is in the
export, too. Content lines are those of iCalendar (RFC 5545, 3.1), and so is their reader.
"""

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from icalendar.parser import Contentline, Contentlines

from mnemic.core import MnemicError
from mnemic.core.message.addresses import parse_addresses
from mnemic.core.message.charsets import decode_octets

__all__ = ["Card", "VcardError", "addresses_of", "card_of", "read_cards"]

_TO_ESCAPE = re.compile(r"([\\,;])")


class VcardError(MnemicError):
    """A file that holds no vCard."""


@dataclass(frozen=True, slots=True)
class Card:
    """A contact: formatted name, e-mail addresses, and the whole card as text."""

    name: str
    addresses: tuple[str, ...]
    text: str


def _properties(text: str) -> Iterator[tuple[str, str]]:
    """Name (without group, in capitals) and value of each property that can be read."""
    for line in Contentlines.from_ical(text):  # type: ignore[no-untyped-call] # it has no types
        try:
            name, _, value = Contentline(line).parts() if line else ("", None, "")
        except ValueError:  # a line of somebody's own making; the card keeps it
            continue
        if name:
            yield str(name).rpartition(".")[2].upper(), str(value).strip()


def _blocks(text: str) -> Iterator[str]:
    """The cards of a file, each from BEGIN to END."""
    lines: list[str] = []
    for line in text.splitlines(keepends=True):
        if line.strip().upper() == "BEGIN:VCARD":
            lines = []
        lines.append(line)
        if line.strip().upper() == "END:VCARD":
            yield "".join(lines)
            lines = []


def _card(text: str) -> Card:
    name, structured, addresses = "", "", []
    for key, value in _properties(text):
        if key == "FN":
            name = name or value
        elif key == "N":
            family, given = (*value.split(";"), "", "")[:2]
            structured = f"{given} {family}".strip()
        elif key == "EMAIL" and value:
            addresses.append(value.removeprefix("mailto:"))
    named = name or structured or next(iter(addresses), "")
    return Card(named, tuple(dict.fromkeys(addresses)), text)


def read_cards(octets: bytes) -> list[Card]:
    """The contacts of a vCard file, in order. Raises VcardError where it holds none."""
    cards = [_card(block) for block in _blocks(decode_octets(octets, "utf-8"))]
    if not cards:
        raise VcardError(
            "this is no vCard file: no BEGIN:VCARD with its END:VCARD stands in it; choose"
            " another file"
        )
    return cards


def addresses_of(octets: bytes) -> list[str]:
    """Every e-mail address of a vCard file, in order; none where it holds no card."""
    cards = (_card(block) for block in _blocks(decode_octets(octets, "utf-8")))
    return [address for card in cards for address in card.addresses]


def _line(name: str, value: str) -> str:
    escaped = _TO_ESCAPE.sub(r"\\\1", value).replace("\n", "\\n")
    # Folded at 75 octets, never inside a character (RFC 6350, section 3.2).
    return str(Contentline(f"{name}:{escaped}").to_ical().decode("utf-8")) + "\r\n"


def card_of(name: str, addresses: Iterable[str], card: str = "") -> str:
    """A card (4.0) with this name and these addresses; what else ``card`` held stays in it.

    Raises VcardError where an address is none.
    """
    addresses = list(addresses)
    for address in addresses:
        parsed = parse_addresses(address)
        if len(parsed) != 1 or not parsed[0].local or not parsed[0].domain:
            raise VcardError(f"“{address}” is no address like name@domain")
    kept = list(_kept_lines(card)) if card else ["VERSION:4.0\r\n"]
    written = [_line("FN", name), *(_line("EMAIL", email) for email in addresses)]
    return "".join(["BEGIN:VCARD\r\n", *kept, *written, "END:VCARD\r\n"])


def _kept_lines(card: str) -> Iterator[str]:
    for line in Contentlines.from_ical(card):  # type: ignore[no-untyped-call] # it has no types
        name = re.split(r"[:;]", str(line), maxsplit=1)[0].rpartition(".")[2].upper()
        if line and name not in ("BEGIN", "END", "FN", "EMAIL"):
            yield Contentline(str(line)).to_ical().decode("utf-8") + "\r\n"
