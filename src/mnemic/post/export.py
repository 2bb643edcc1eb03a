"""Mail written to open formats: mbox (RFC 4155) and Maildir, message after message."""

import io
import re
import tarfile
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from mnemic.core import MnemicError

__all__ = ["ExportError", "ExportedMessage", "mailbox_archive", "mbox_octets", "write_maildir"]

#: What must be quoted so that it is not taken for a separator; quoted lines get one ">" more, so
#: that taking one off gives the octets back.
_FROM_LINE = re.compile(rb"^(>*From )", re.MULTILINE)

#: RFC 4155, appendix A: the address that stands where nothing is known of a sender.
_NOBODY = "MAILER-DAEMON"

#: Stands at the end of a From_ line where the message has no line end of its own at its end: the
#: mbox needs one, and the reader takes it off again.
UNENDED = b" unended"


class ExportError(MnemicError):
    """A place that mail can't be written to."""


@dataclass(frozen=True, slots=True)
class ExportedMessage:
    """A message to be written: octets, return path, time of receipt (seconds since 1970), flags."""

    id: int
    octets: bytes
    return_path: str | None
    received_at: int
    seen: bool
    flagged: bool

    @property
    def maildir_name(self) -> str:
        """A name no other message has, with its flags: F flagged, S seen, in this order."""
        flags = ("F" if self.flagged else "") + ("S" if self.seen else "")
        return f"{self.received_at}.M{self.id}P1.mnemic:2,{flags}"


def _separator(message: ExportedMessage, *, ended: bool) -> bytes:
    address = re.sub(r"\s+", "", message.return_path or "") or _NOBODY
    moment = datetime.fromtimestamp(message.received_at, UTC)
    line = f"From {address} {moment:%a %b %e %H:%M:%S %Y}".encode()
    return line + (b"" if ended else UNENDED) + b"\n"


def mbox_octets(messages: Iterable[ExportedMessage]) -> Iterator[bytes]:
    """An mbox, one piece a message; ``mnemic.post.read_files`` gives each message back as it was.

    Line ends inside the messages stay as they are.
    """
    for message in messages:
        ended = message.octets.endswith(b"\n") or not message.octets
        quoted = _FROM_LINE.sub(rb">\1", message.octets)
        yield _separator(message, ended=ended) + quoted + (b"\n" if ended else b"\n\n")


def write_maildir(folder: Path, messages: Iterable[ExportedMessage]) -> int:
    """Write messages into a Maildir, which is made where it is missing; how many were written.

    Raises ExportError where the folder can't be written to.
    """
    count = 0
    try:
        for name in ("cur", "new", "tmp"):
            (folder / name).mkdir(parents=True, exist_ok=True)
        for message in messages:
            # Written aside and moved when whole, as a Maildir's readers expect.
            aside = folder / "tmp" / message.maildir_name
            aside.write_bytes(message.octets)
            aside.rename(folder / "cur" / message.maildir_name)
            count += 1
    except OSError as error:
        raise ExportError(f"{error.filename or folder}: {error.strerror or error}") from error
    return count


class _Pipe(io.RawIOBase):
    """What a tar archive is written to, and taken from piece by piece."""

    def __init__(self) -> None:
        self.pieces: list[bytes] = []

    def writable(self) -> bool:
        return True

    def write(self, octets: object) -> int:
        piece = bytes(octets)  # type: ignore[call-overload] # a buffer, as tarfile writes them
        self.pieces.append(piece)
        return len(piece)

    def taken(self) -> bytes:
        taken = b"".join(self.pieces)
        self.pieces.clear()
        return taken


def mailbox_archive(name: str, messages: Iterable[ExportedMessage]) -> Iterator[bytes]:
    """A Maildir called ``name`` inside a tar archive, piece by piece."""
    pipe = _Pipe()
    with tarfile.open(fileobj=pipe, mode="w|", format=tarfile.PAX_FORMAT) as archive:
        for part in ("cur", "new", "tmp"):
            folder = tarfile.TarInfo(f"{name}/{part}")
            folder.type, folder.mode = tarfile.DIRTYPE, 0o755
            archive.addfile(folder)
        for message in messages:
            entry = tarfile.TarInfo(f"{name}/cur/{message.maildir_name}")
            entry.size, entry.mtime = len(message.octets), message.received_at
            archive.addfile(entry, io.BytesIO(message.octets))
            yield pipe.taken()
    yield pipe.taken()
