"""Reading messages from files: one message, mbox (RFC 4155), Maildir, or Maildir in a tar."""

import re
import tarfile
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path, PurePosixPath
from typing import BinaryIO

from mnemic.core import MnemicError, looks_like_mail

__all__ = ["FileMessage", "MailFileError", "NotMailError", "read_files"]


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


# A separator names the return path and a time (RFC 4155, appendix A); the time keeps a sentence
# that happens to begin with "From " from cutting a message in two.
_SEPARATOR = re.compile(rb"From .*\d\d:\d\d")
_QUOTED_FROM = re.compile(rb">+From ")

# What ``mnemic.post.export`` writes where a message has no line end at its end.
_UNENDED = re.compile(rb"From .* unended\r?\n")


#: Archives that may hold Maildir folders; how they are packed is seen when they are opened.
_ARCHIVES = (".tar", ".tar.gz", ".tgz")


def _is_mbox(path: Path) -> bool:
    if path.name.endswith(".mbox"):
        return True
    with path.open("rb") as file:
        return file.read(5) == b"From "


def _is_maildir(path: Path) -> bool:
    return (path / "cur").is_dir() or (path / "new").is_dir()


def _body(lines: list[bytes], *, unended: bool) -> bytes:
    """Without the empty line that ends each message of an mbox."""
    if lines and lines[-1] in (b"\n", b"\r\n"):
        lines.pop()
    octets = b"".join(lines)
    return octets.removesuffix(b"\n") if unended else octets


def split_mbox(file: BinaryIO) -> Iterator[bytes]:
    """The messages of an mbox, one after the other; only one is in memory at a time.

    A message begins after a ``From `` line that follows an empty line; one ">" is taken off
    each quoted ``>From `` line. Octets before the first separator are a message of their own.
    """
    lines: list[bytes] = []
    after_empty, begun, unended = True, False, False
    for line in file:
        if after_empty and (_SEPARATOR.match(line) or (not begun and line.startswith(b"From "))):
            if lines:
                yield _body(lines, unended=unended)
            lines, after_empty, begun = [], False, True
            unended = _UNENDED.fullmatch(line) is not None
            continue
        after_empty = line in (b"\n", b"\r\n")
        lines.append(line[1:] if _QUOTED_FROM.match(line) else line)
        begun = True
    if lines:
        yield _body(lines, unended=unended)


def _file_time(path: Path) -> datetime:
    return datetime.fromtimestamp(path.stat().st_mtime, UTC)


def _maildir_messages(path: Path) -> Iterator[FileMessage]:
    files = [file for name in ("new", "cur") for file in (path / name).glob("*") if file.is_file()]
    for file in sorted(files, key=lambda each: each.name):
        flags = file.name.partition(":2,")[2]
        octets = file.read_bytes()
        yield FileMessage(str(file), octets, _file_time(file), "S" in flags, "F" in flags)


def _archived_messages(path: Path) -> Iterator[FileMessage]:
    """The messages of Maildir folders inside a tar archive, in its order."""
    with tarfile.open(path, "r|*") as archive:
        for entry in archive:
            pieces = PurePosixPath(entry.name).parts
            content = archive.extractfile(entry) if entry.isfile() else None
            if content is None or len(pieces) < 2 or pieces[-2] not in ("new", "cur"):
                continue
            flags = pieces[-1].partition(":2,")[2]
            time = datetime.fromtimestamp(entry.mtime, UTC)
            source = f"{path}#{entry.name}"
            yield FileMessage(source, content.read(), time, "S" in flags, "F" in flags)


def _read_archive(path: Path) -> Iterator[FileMessage]:
    try:
        yield from _archived_messages(path)
    except tarfile.TarError as error:
        raise NotMailError(f"{path}: no tar archive that can be read ({error})") from error


def _read(path: Path) -> Iterator[FileMessage]:
    if path.name.endswith(_ARCHIVES):
        yield from _read_archive(path)
    elif path.is_dir():
        if not _is_maildir(path):
            raise NotMailError(f"{path}: a folder, but no Maildir (it has neither new nor cur)")
        yield from _maildir_messages(path)
    elif _is_mbox(path):
        time = _file_time(path)
        with path.open("rb") as file:
            for number, octets in enumerate(split_mbox(file)):
                yield FileMessage(f"{path}#{number}", octets, time)
    else:
        yield FileMessage(str(path), path.read_bytes(), _file_time(path))


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
            raise MailFileError(f"{path}: {error.strerror or error}") from error
