"""Reading messages from files: one message, mbox (RFC 4155), Maildir, or Maildir in a tar."""

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path, PurePosixPath
from typing import BinaryIO

from mnemic.core import MnemicError, looks_like_mail
from mnemic.core.bounds import MOST_MESSAGE
from mnemic.post.unpacking import UnpackingError, archive_members

__all__ = ["FileMessage", "MailFileError", "NotMailError", "printable", "read_files"]


class MailFileError(MnemicError):
    """A file or folder that can't be read."""


class NotMailError(MailFileError):
    """A file that holds something else than mail."""


@dataclass(frozen=True, slots=True)
class FileMessage:
    """A message from a file.

    ``source`` names where it was; ``file_time`` is the file's time, in UTC; ``seen`` and
    ``flagged`` are what a Maildir's file name says (False elsewhere).
    """

    source: str
    octets: bytes
    file_time: datetime
    seen: bool = False
    flagged: bool = False


#: Octets of a file that are read at a time.
_BLOCK = 1024 * 1024


class _TooLargeError(Exception):
    """A message of an mbox is larger than a message may be."""


_TOO_LARGE = (
    f"is larger than the {MOST_MESSAGE // 1024**2} MB that a message may have; leave it out"
)


def printable(name: Path | str) -> str:
    """A file's name as it can be told: one that is not UTF-8 has marks in it."""
    return str(name).encode("utf-8", "replace").decode("utf-8")


# A separator names the return path and a time (RFC 4155, appendix A); the time keeps a sentence
# that happens to begin with "From " from cutting a message in two.
_SEPARATOR = re.compile(rb"From .*\d\d:\d\d")
_QUOTED_FROM = re.compile(rb">+From ")

# What ``mnemic.post.export`` writes where a message has no line end at its end.
_UNENDED = re.compile(rb"From .* unended\r?\n")


#: Archives that may hold Maildir folders; how they are packed is seen when they are opened.
_ARCHIVES = (".tar", ".tar.gz", ".tgz", ".tar.bz2", ".tbz2", ".tar.xz", ".txz")


def _is_mbox(path: Path) -> bool:
    if path.name.endswith(".mbox"):
        return True
    with path.open("rb") as file:
        return file.read(5) == b"From "


def _is_maildir(path: Path) -> bool:
    return (path / "cur").is_dir() or (path / "new").is_dir()


def _body(lines: list[bytes], ending: int, *, unended: bool) -> bytes:
    """Without the empty line of so many octets that ends each message of an mbox."""
    octets = b"".join(lines)
    octets = octets[: len(octets) - ending]
    if len(octets) > MOST_MESSAGE:
        raise _TooLargeError
    return octets.removesuffix(b"\n") if unended else octets


def _line_blocks(file: BinaryIO) -> Iterator[list[bytes]]:
    """The lines of a file, some thousands at a time; raises _TooLargeError where one is endless."""
    rest = b""
    while block := file.read(_BLOCK):
        lines = (rest + block).split(b"\n")
        rest = lines.pop()
        if len(rest) > MOST_MESSAGE:
            raise _TooLargeError
        yield [line + b"\n" for line in lines]
    yield [rest] if rest else []


def split_mbox(file: BinaryIO) -> Iterator[bytes]:
    """The messages of an mbox, one after the other; only one is in memory at a time.

    A message begins after a ``From `` line that follows an empty line; one ">" is taken off
    each quoted ``>From `` line. Octets before the first separator are a message of their own.
    Raises _TooLargeError where one is larger than a message may be.
    """
    lines: list[bytes] = []
    after_empty, begun, unended = True, False, False
    ending = 0
    for block in _line_blocks(file):
        for line in block:
            if after_empty and (
                _SEPARATOR.match(line) or (not begun and line.startswith(b"From "))
            ):
                if lines:
                    yield _body(lines, ending, unended=unended)
                lines, after_empty, begun = [], False, True
                unended = _UNENDED.fullmatch(line) is not None
                continue
            after_empty = line in (b"\n", b"\r\n")
            ending = len(line) if after_empty else 0
            lines.append(line[1:] if _QUOTED_FROM.match(line) else line)
            begun = True
        if len(lines) > len(block):  # it began before this block
            lines = [b"".join(lines)]
            if len(lines[0]) > MOST_MESSAGE + _BLOCK:
                raise _TooLargeError
    if lines:
        yield _body(lines, ending, unended=unended)


def _moment(seconds: float) -> datetime:
    """A file's time; one that no calendar has is now."""
    try:
        return datetime.fromtimestamp(seconds, UTC)
    except (ValueError, OverflowError, OSError):
        return datetime.now(UTC)


def _file_time(path: Path) -> datetime:
    return _moment(path.stat().st_mtime)


def _octets_of(path: Path) -> bytes:
    """A file's octets; raises NotMailError where it is none, or larger than a message may be.

    A pipe or a device would be waited for, or never end.
    """
    if not path.is_file():
        raise NotMailError(
            f"{printable(path)}: this is not a file; name a message, an mbox or a Maildir"
        )
    if path.stat().st_size > MOST_MESSAGE:
        raise NotMailError(f"{printable(path)}: {_TOO_LARGE}")
    return path.read_bytes()


def _maildir_messages(path: Path) -> Iterator[FileMessage]:
    files = [file for name in ("new", "cur") for file in (path / name).glob("*") if file.is_file()]
    for file in sorted(files, key=lambda entry: entry.name):
        flags = file.name.partition(":2,")[2]
        time = _file_time(file)
        yield FileMessage(printable(file), _octets_of(file), time, "S" in flags, "F" in flags)


def _archived_messages(path: Path) -> Iterator[FileMessage]:
    """The messages of Maildir folders inside a tar archive, in its order."""
    try:
        for entry, octets in archive_members(path, MOST_MESSAGE):
            pieces = PurePosixPath(entry.name).parts
            if len(pieces) < 2 or pieces[-2] not in ("new", "cur"):
                continue
            flags = pieces[-1].partition(":2,")[2]
            source = printable(f"{path}#{entry.name}")
            yield FileMessage(source, octets, _moment(entry.mtime), "S" in flags, "F" in flags)
    except UnpackingError as error:
        raise NotMailError(f"{printable(path)}: {error}") from error


def _read(path: Path) -> Iterator[FileMessage]:
    if path.name.endswith(_ARCHIVES):
        yield from _archived_messages(path)
    elif path.is_dir():
        if not _is_maildir(path):
            raise NotMailError(
                f"{printable(path)}: a folder, but no Maildir (it has neither new nor cur)"
            )
        yield from _maildir_messages(path)
    elif path.is_file() and _is_mbox(path):
        yield from _mbox_messages(path)
    else:
        yield FileMessage(printable(path), _octets_of(path), _file_time(path))


def _mbox_messages(path: Path) -> Iterator[FileMessage]:
    time = _file_time(path)
    try:
        with path.open("rb") as file:
            for number, octets in enumerate(split_mbox(file)):
                yield FileMessage(f"{printable(path)}#{number}", octets, time)
    except _TooLargeError as error:
        raise NotMailError(f"{printable(path)}: a message in it {_TOO_LARGE}") from error


def read_files(paths: Iterable[Path], *, only_mail: bool = False) -> Iterator[FileMessage]:
    """Every message of the files and Maildir folders, in order.

    Raises MailFileError where a path can't be read and, with ``only_mail``, NotMailError where
    something does not begin as a message does.
    """
    for path in paths:
        try:
            for message in _read(path):
                if only_mail and not looks_like_mail(message.octets):
                    raise NotMailError(
                        f"{message.source}: this is not mail (no From, To, Subject or Date "
                        "stands at its beginning)"
                    )
                yield message
        except OSError as error:
            raise MailFileError(f"{printable(path)}: {error.strerror or error}") from error
