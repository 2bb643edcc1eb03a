"""Octets and texts as they lie in the database: compressed (zlib, RFC 1950), the same when read.

Statements read them with ``unpacked(octets, packed)``, ``unpacked_header(octets, packed)`` and
``unpacked_text(body, packed)``. What an older Mnemic wrote lies there as it came, and ``packed`` is
null, until it is brought over (``store.mail.packed_mail``).
"""

import sqlite3
import zlib

from mnemic.core.message.mime_reading import header_end

__all__ = ["add_unpacking", "pack", "pack_text", "unpacked", "unpacked_header", "unpacked_text"]

#: How hard zlib tries, of 9. The sixth level leaves a fortieth less and takes a third longer.
_LEVEL = 3

#: Octets that are unpacked first where the header alone is wanted.
_PIECE = 2048


def pack(octets: bytes) -> bytes:
    """Octets compressed."""
    return zlib.compress(octets, _LEVEL)


def pack_text(text: str) -> bytes:
    """A text compressed, as UTF-8."""
    return pack(text.encode("utf-8"))


def unpacked(octets: bytes, packed: bytes | None) -> bytes:
    """The octets that were packed, or those that never were.

    Raises zlib.error where they are damaged.
    """
    return octets if packed is None else zlib.decompress(packed)


def unpacked_header(octets: bytes, packed: bytes | None) -> bytes:
    """As ``unpacked``, but for a message's text and parts: no further than its header ends.

    Of a message with large attachments that is little.
    """
    if packed is None:
        return octets[: header_end(octets)]
    unpacking, rest, octets = zlib.decompressobj(), packed, b""
    while (end := header_end(octets)) is None and not unpacking.eof:
        octets += unpacking.decompress(rest, len(octets) + _PIECE)  # each time twice as far
        rest = unpacking.unconsumed_tail
        if not rest and not unpacking.eof:
            raise zlib.error("incomplete or truncated stream")
    return octets[:end]


def unpacked_text(text: str, packed: bytes | None) -> str:
    """The text that was packed, or the one that never was; raises as ``unpacked`` does."""
    return text if packed is None else zlib.decompress(packed).decode("utf-8")


def add_unpacking(connection: sqlite3.Connection) -> None:
    """Let the statements of a connection unpack."""
    for function in (unpacked, unpacked_header, unpacked_text):
        connection.create_function(function.__name__, 2, function, deterministic=True)
