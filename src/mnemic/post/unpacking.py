"""Archives read as a stream, within bounds: what unpacks to far more than it is, is refused.

Tar (POSIX.1-2001, pax), as it is or packed by gzip (RFC 1952), bzip2 or xz.
"""

import bz2
import gzip
import io
import lzma
import tarfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO, cast

from mnemic.core import MnemicError

__all__ = ["UnpackingError", "archive_members"]

#: Octets that an archive may unpack to, for each of its own and beside: mail packs to a tenth.
_TIMES, _BESIDE = 50, 64 * 1024 * 1024

#: Octets of a member's header: names and times need some hundreds. They are read in memory.
_MOST_HEADER = 1024 * 1024

_HEADERS = frozenset(
    {
        tarfile.XHDTYPE,
        tarfile.XGLTYPE,
        tarfile.SOLARIS_XHDTYPE,
        tarfile.GNUTYPE_LONGNAME,
        tarfile.GNUTYPE_LONGLINK,
    }
)

#: Octets of memory that unpacking may take; xz's own default needs 65 MB at its strongest.
_MEMORY = 128 * 1024 * 1024

_PIECE = 65_536


class UnpackingError(MnemicError):
    """An archive that is not unpacked; the text says why."""


class _XzStream(io.RawIOBase):
    """What xz packed, with a limit on memory, which the library's own file does not have."""

    def __init__(self, packed: BinaryIO) -> None:
        self._packed, self._unpacker = packed, self._another()

    @staticmethod
    def _another() -> lzma.LZMADecompressor:
        return lzma.LZMADecompressor(memlimit=_MEMORY)

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: object) -> int:
        room = memoryview(buffer)  # type: ignore[arg-type] # whatever bytes can be written to
        while True:
            piece = self._next_piece()
            if piece is None:
                return 0
            unpacked = self._unpacker.decompress(piece, len(room))
            if unpacked:
                room[: len(unpacked)] = unpacked
                return len(unpacked)

    def _next_piece(self) -> bytes | None:
        """What to unpack next; None at the end."""
        if self._unpacker.eof:  # several streams may follow each other, with zeros between
            rest = (self._unpacker.unused_data or self._packed.read(_PIECE)).lstrip(b"\0")
            self._unpacker = self._another()
            return rest or None
        if not self._unpacker.needs_input:
            return b""
        piece = self._packed.read(_PIECE)
        if not piece:
            raise EOFError("it ends too early")
        return piece


class _Bounded:
    """A stream that may give so many octets and no more."""

    def __init__(self, stream: BinaryIO, most: int) -> None:
        self._stream, self._left = stream, most

    def read(self, size: int) -> bytes:
        """The next octets; raises UnpackingError beyond the limit."""
        octets = self._stream.read(size)
        self._left -= len(octets)
        if self._left < 0:
            raise UnpackingError(
                "it unpacks to far more than mail does; unpack it yourself and import what is in it"
            )
        return octets


class _BoundedMember(tarfile.TarInfo):
    """A member whose header is not read where it is huge."""

    def _proc_member(self, archive: tarfile.TarFile) -> tarfile.TarInfo:
        if self.type in _HEADERS and self.size > _MOST_HEADER:
            raise UnpackingError("a header in it is too large; make the archive anew")
        return cast("tarfile.TarInfo", super()._proc_member(archive))  # type: ignore[misc]


def _unpacked(file: BinaryIO) -> BinaryIO:
    """The tar archive itself, whichever way it is packed; told by its first octets."""
    begin = file.read(6)
    file.seek(0)
    if begin.startswith(b"\x1f\x8b"):
        return cast("BinaryIO", gzip.open(file))
    if begin.startswith(b"BZh"):
        return cast("BinaryIO", bz2.open(file))
    if begin == b"\xfd7zXZ\0":
        return cast("BinaryIO", io.BufferedReader(_XzStream(file)))
    return file


@contextmanager
def _telling() -> Iterator[None]:
    try:
        yield
    except (tarfile.TarError, EOFError, OSError, ValueError, lzma.LZMAError, zlib.error) as error:
        raise UnpackingError(f"no tar archive that can be read ({error}); make it anew") from error


def archive_members(path: Path, most: int) -> Iterator[tuple[tarfile.TarInfo, bytes]]:
    """The regular files of an archive in its order, each with its octets.

    ``most`` is how many octets a file may have. Raises UnpackingError where the archive can't be
    read, and where it unpacks to more than it should.
    """
    with _telling(), path.open("rb") as file:
        limit = path.stat().st_size * _TIMES + _BESIDE
        stream = _Bounded(_unpacked(file), limit)
        with tarfile.open(
            fileobj=cast("BinaryIO", stream), mode="r|", tarinfo=_BoundedMember
        ) as archive:
            for entry in archive:
                archive.members = []  # type: ignore[attr-defined] # else all are kept in memory
                if entry.issparse():
                    raise UnpackingError(
                        "a file in it has holes (sparse), as mail never has; leave it out"
                    )
                content = archive.extractfile(entry) if entry.isreg() else None
                if content is None:
                    continue
                if entry.size > most:
                    raise UnpackingError(
                        f"{entry.name!a} in it is larger than a message may be; leave it out"
                    )
                yield entry, content.read()
