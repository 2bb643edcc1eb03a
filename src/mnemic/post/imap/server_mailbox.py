"""What Mnemic asks of a mailbox on a server, above what IMAPClient does.

IMAPClient sends ranges, MOVE's codes and VANISHED no further than its inner client, turns single
line ends of what is appended into others, and believes any number; here they are looked at.
"""

import hashlib
import imaplib
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta, timezone
from functools import lru_cache
from itertools import pairwise
from typing import Any, TypeVar

from imapclient import IMAPClient
from imapclient.response_parser import parse_fetch_response

from mnemic.post.access import words_of
from mnemic.post.failures import CommandRefusedError, NotFollowedError, ServerLostError
from mnemic.post.imap.patience import Patience
from mnemic.post.imap.told_flags import flags_from, usual_flags

__all__ = ["FetchedMessage", "FolderState", "Glimpse", "ListedFolder", "ServerMailbox"]

Answer = TypeVar("Answer")

#: UIDs and UIDVALIDITY are unsigned 32-bit numbers (RFC 9051, section 2.3.1.1).
_MOST = 2**32 - 1

#: UIDs that are named in one command.
_AT_ONCE = 1_000

#: Octets that a literal may have more than the largest message.
_BESIDE = 2**20

_FLAGS = "(UID FLAGS)"

_MONTHS = "Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec".split()


@dataclass(frozen=True, slots=True)
class ListedFolder:
    """A folder as LIST tells it: its name, what stands between levels, and its attributes."""

    name: str
    separator: str | None
    attributes: frozenset[str]


@dataclass(frozen=True, slots=True)
class FolderState:
    """What opening a folder tells; ``modseq`` is None where the server counts no changes."""

    validity: int
    uidnext: int
    messages: int
    modseq: int | None
    keeps_keywords: bool


@dataclass(frozen=True, slots=True)
class Glimpse:
    """What is asked of a message before its octets: enough to know it again."""

    uid: int
    flags: frozenset[str]
    size: int
    received: datetime
    header: bytes


@dataclass(frozen=True, slots=True)
class FetchedMessage:
    """A message's octets as the server gave them."""

    uid: int
    octets: bytes


class ServerMailbox:
    """A mailbox on a server, over one connection."""

    def __init__(self, client: IMAPClient, *, largest: int = 2**26) -> None:
        """``largest`` is how many octets a literal may have that is believed."""
        self._client, self._imap = client, client._imap
        self._patience = Patience(self._imap, largest + _BESIDE)
        self.alerts: list[str] = []
        self.counts_changes = client.has_capability("CONDSTORE")
        self.tells_vanished = False
        if client.has_capability("QRESYNC") and client.has_capability("ENABLE"):
            with self._talking():
                client.enable("QRESYNC")
            self.tells_vanished = True

    def can(self, extension: str) -> bool:
        """Whether the server has an extension."""
        return bool(self._client.has_capability(extension))

    @contextmanager
    def _talking(self) -> Iterator[None]:
        """Errors of the connection, and of what is said on it, as Mnemic's own."""
        self._patience.begin()
        try:
            yield
        except (imaplib.IMAP4.abort, OSError) as error:
            raise ServerLostError(f"the connection broke: {words_of(error)}") from error
        except imaplib.IMAP4.error as error:
            raise CommandRefusedError(f"the server refused: {words_of(error)}") from error
        except (ValueError, KeyError, IndexError, TypeError, AttributeError) as error:
            raise NotFollowedError(
                f"the server’s answer makes no sense: {words_of(error)}"
            ) from error
        finally:
            self._note_alerts()

    def _note_alerts(self) -> None:
        for line in self._imap.untagged_responses.pop("ALERT", []) or []:
            if isinstance(line, bytes):
                self.alerts.append(" ".join(line.decode("utf-8", "replace").split())[:500])

    # --- folders

    def folders(self) -> list[ListedFolder]:
        """Every folder, and what is above some."""
        with self._talking():
            listed = self._client.list_folders()
        return [
            ListedFolder(
                str(name),
                separator.decode("ascii") if separator else None,
                frozenset(flag.decode("ascii", "replace").lower() for flag in flags),
            )
            for flags, separator, name in listed
        ]

    def prefix(self) -> str:
        """What stands before the names of one's own folders (RFC 2342); mostly nothing."""
        if not self.can("NAMESPACE"):
            return ""
        with self._talking():
            spaces = self._client.namespace()
        personal = spaces.personal or ()
        return str(personal[0][0]) if personal else ""

    def open(self, name: str, *, only_look: bool) -> FolderState:
        """Open a folder. To look only changes nothing on the server (EXAMINE)."""
        with self._talking():
            answer = self._client.select_folder(name, readonly=only_look)
            lasting = [
                flag.decode("ascii", "replace") for flag in answer.get(b"PERMANENTFLAGS", ())
            ]
            highest = answer.get(b"HIGHESTMODSEQ")
            highest = highest[0] if isinstance(highest, list | tuple) else highest
            uidnext = answer.get(b"UIDNEXT")
            if uidnext is None:  # a server need not tell it (RFC 3501, section 6.3.1)
                uidnext = max(self._client.search("ALL"), default=0) + 1
            return FolderState(
                validity=_number(answer[b"UIDVALIDITY"]),
                uidnext=_number(uidnext),
                messages=_number(answer.get(b"EXISTS", 0)),
                modseq=int(highest) if highest is not None and self.counts_changes else None,
                keeps_keywords="\\*" in lasting,
            )

    def leave(self) -> None:
        """Close the open folder: some servers delete none that is open."""
        with self._talking():
            if self.can("UNSELECT"):
                self._client.unselect_folder()

    def make(self, name: str, use: str | None = None) -> None:
        """Make a folder and subscribe to it; with a special use where that can be said."""
        with self._talking():
            folder = self._client._normalise_folder(name)
            if use is not None and self.can("CREATE-SPECIAL-USE"):
                self._imap._simple_command("CREATE", folder, f"(USE ({use}))")
            else:
                self._client.create_folder(name)
            self._client.subscribe_folder(name)

    def rename(self, old: str, new: str) -> None:
        """Rename a folder, with those below it."""
        with self._talking():
            self._client.rename_folder(old, new)
            self._client.subscribe_folder(new)

    def delete(self, name: str) -> None:
        """Delete a folder."""
        with self._talking():
            self._client.delete_folder(name)

    # --- looking at the messages of the open folder

    def uids(self) -> list[int]:
        """The UIDs of all messages, rising."""
        with self._talking():
            uids_there = sorted(_number(uid) for uid in self._client.search("ALL"))
        if any(uid == following for uid, following in pairwise(uids_there)):
            raise NotFollowedError("the server names a message twice")
        return uids_there

    def flags(
        self, is_known: Callable[[bytes], bool] = lambda _: False
    ) -> dict[int, frozenset[str]] | None:
        """By UID the flags of all messages.

        An answer that ``is_known`` by what tells it from others is not read, which would take most
        of the time: None.
        """
        lines = self._asked("1:*", _FLAGS)
        answer = hashlib.sha256()
        for line in lines:
            answer.update(b"\n" + _octets(line))
        if is_known(answer.digest()):
            return None
        return self._flags_in(lines)

    def changed_flags(self, since: int) -> tuple[dict[int, frozenset[str]], list[int]]:
        """By UID the flags of the messages changed ``since`` a count of changes (RFC 7162).

        With them, where the server tells, the UIDs of those that vanished since.
        """
        vanished = " VANISHED" if self.tells_vanished else ""
        flags = self._flags_in(self._asked("1:*", _FLAGS, f"(CHANGEDSINCE {since}{vanished})"))
        with self._talking():
            vanished_lines = self._imap.untagged_responses.pop("VANISHED", [])
            gone = [uid for line in vanished_lines for uid in _numbers(line.split()[-1])]
        return flags, gone

    def _flags_in(self, lines: list[Any]) -> dict[int, frozenset[str]]:
        """By UID the flags that lines tell; raises NotFollowedError where they make no sense."""
        with self._talking():
            flags, others = usual_flags(lines)
            read = self._read(others)
            flags |= {uid: flags_from(facts[b"FLAGS"]) for uid, facts in read.items()}
            for uid in flags:
                _number(uid)
            return flags

    def glimpses(self, uids: Sequence[int]) -> Iterator[Glimpse]:
        """What is to be known of messages before they are fetched."""
        asked = "(UID FLAGS RFC822.SIZE INTERNALDATE BODY.PEEK[HEADER.FIELDS (MESSAGE-ID)])"
        for some in _portions(uids):
            for uid, facts in self._read(self._asked(_as_set(some), asked)).items():
                with self._talking():
                    headers = [value for name, value in facts.items() if name.startswith(b"BODY[")]
                    if not headers:
                        continue  # flags that somebody changed meanwhile, which nobody asked for
                    yield Glimpse(
                        uid,
                        flags_from(facts[b"FLAGS"]),
                        _number(facts[b"RFC822.SIZE"], most=2**63 - 1),
                        _moment(facts[b"INTERNALDATE"]),
                        headers[0] or b"",
                    )

    def fetch(self, uids: Sequence[int], *, header_only: bool = False) -> Iterator[FetchedMessage]:
        """Octets of messages; reading them marks none of them as read."""
        what = "BODY.PEEK[HEADER]" if header_only else "BODY.PEEK[]"
        for uid, facts in self._read(self._asked(_as_set(uids), f"(UID {what})")).items():
            octets = next((fact for name, fact in facts.items() if name.startswith(b"BODY[")), None)
            if isinstance(octets, bytes):
                yield FetchedMessage(uid, octets)

    def _asked(self, uids: str, what: str, *modifier: str) -> list[Any]:
        """What the server tells of messages, in lines and literals as imaplib has them."""
        with self._talking():
            for name in ("FETCH", "VANISHED"):
                self._imap.untagged_responses.pop(name, None)
            status, lines = self._imap.uid("FETCH", uids, what, *modifier)
            self._check(status, lines)
            return [line for line in lines if line]

    def _read(self, lines: list[Any]) -> dict[int, dict[bytes, Any]]:
        with self._talking():
            parsed = parse_fetch_response(lines, False, True) if lines else {}
            return {_number(uid): dict(facts) for uid, facts in parsed.items()}

    @staticmethod
    def _check(status: str, lines: Any) -> None:
        if status != "OK":
            said = lines[-1] if lines else b""
            raise imaplib.IMAP4.error(said)

    # --- changing the messages of the open folder

    def mark(self, uids: Sequence[int], flags: Iterable[str], *, on: bool) -> None:
        """Put flags on messages, or take them off; the flags of others stay."""
        listed = "(" + " ".join(sorted(flags)) + ")"
        for some in _portions(uids):
            with self._talking():
                verb = "+FLAGS.SILENT" if on else "-FLAGS.SILENT"
                self._check(*self._imap.uid("STORE", _as_set(some), verb, listed))

    def move(self, uids: Sequence[int], target: str) -> dict[int, int] | None:
        """Move messages into a folder: their new UIDs there; None where the server tells none."""
        return self._with_new_uids("MOVE", uids, target)

    def copy(self, uids: Sequence[int], target: str) -> dict[int, int] | None:
        """Copy messages into a folder: the UIDs of the copies; None where the server tells none."""
        return self._with_new_uids("COPY", uids, target)

    def _with_new_uids(
        self, command: str, uids: Sequence[int], target: str
    ) -> dict[int, int] | None:
        with self._talking():
            self._imap.untagged_responses.pop("COPYUID", None)
            folder = self._client._normalise_folder(target)
            self._check(*self._imap.uid(command, _as_set(uids), folder))
            ((code,),) = (self._imap.response("COPYUID")[1][-1:],)
            if not code:
                return None
            _, old, new = code.split()
            return dict(zip(_numbers(old), _numbers(new), strict=True))

    def expunge(self, uids: Sequence[int]) -> None:
        """Take these messages out for good, and no others that are marked as deleted."""
        for some in _portions(uids):
            with self._talking():
                self._client.uid_expunge(some)

    def append(
        self, name: str, octets: bytes, flags: Iterable[str], received: datetime
    ) -> int | None:
        """Put a message into a folder, its octets as they are; its UID, where it is told."""
        moment = received.astimezone(UTC)
        written = f'"{moment:%d}-{_MONTHS[moment.month - 1]}-{moment:%Y %H:%M:%S} +0000"'
        with self._talking():
            self._imap.untagged_responses.pop("APPENDUID", None)
            self._imap.literal = octets
            folder = self._client._normalise_folder(name)
            listed = "(" + " ".join(sorted(flags)) + ")"
            self._check(*self._imap._simple_command("APPEND", folder, listed, written))
            ((code,),) = (self._imap.response("APPENDUID")[1][-1:],)
            return _number(int(code.split()[1])) if code else None

    def called(self, message_id: str) -> list[int]:
        """The UIDs in the open folder of messages with a Message-ID."""
        quoted = message_id.replace("\\", "\\\\").replace('"', '\\"')
        with self._talking():
            uids = self._client.search(["HEADER", "Message-ID", quoted])
        return sorted(_number(uid) for uid in uids)


def _octets(line: Any) -> bytes:
    return line if isinstance(line, bytes) else repr(line).encode()


def _number(value: Any, most: int = _MOST) -> int:
    """A number of the server's, within what it may be. Raises ValueError."""
    number = int(value[0]) if isinstance(value, list | tuple) else int(value)
    if not 0 <= number <= most:
        raise ValueError(f"{number} is out of bounds")
    return number


def _numbers(written: bytes) -> list[int]:
    """A set of numbers as IMAP writes it, bounded. Raises ValueError."""
    numbers: list[int] = []
    for part in written.split(b","):
        first, _, last = part.partition(b":")
        low, high = _number(first), _number(last or first)
        if high - low > 10**6 or len(numbers) > 10**6:
            raise ValueError("a set of numbers is too large")
        numbers.extend(range(min(low, high), max(low, high) + 1))
    return numbers


def _as_set(uids: Sequence[int]) -> str:
    """Numbers as a set, runs shortened."""
    runs: list[list[int]] = []
    for uid in sorted(uids):
        if runs and uid == runs[-1][1] + 1:
            runs[-1][1] = uid
        else:
            runs.append([uid, uid])
    return ",".join(str(low) if low == high else f"{low}:{high}" for low, high in runs)


def _portions(uids: Sequence[int]) -> Iterator[list[int]]:
    for first in range(0, len(uids), _AT_ONCE):
        yield list(uids[first : first + _AT_ONCE])


def _moment(internal_date: Any) -> datetime:
    if not isinstance(internal_date, datetime):
        raise ValueError("a message has no date")
    return internal_date.replace(tzinfo=_zone(internal_date.utcoffset() or timedelta()))


@lru_cache(maxsize=64)
def _zone(offset: timedelta) -> timezone:
    """One zone for all who are so far ahead: one for each of very many takes much memory."""
    return timezone(offset)
