"""Following a server: what a look saw there becomes so here."""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime

from sqlmodel import Session

from mnemic.core.message.parsing import parse_header
from mnemic.core.mirror import KnownBy, Marks, Missing, Spot, agreed, matched
from mnemic.jobs.server.changes_elsewhere import ChangesElsewhere
from mnemic.jobs.server.looking import Look
from mnemic.jobs.server.sides import OUT_OF_SIGHT, ServerFlags, Sides, flags_of
from mnemic.post.imap import Glimpse
from mnemic.store.server.connections import Connection
from mnemic.store.server.server_messages import (
    Mirrored,
    OnServer,
    begun_on_server,
    forget_begun,
    forget_left,
    keep_left,
    left_on_server,
    note_on_server,
    nowhere_on_server,
    placed_by_rule,
)

__all__ = ["Followed", "follow", "in_batches", "recognise", "take_for_gone"]


@dataclass
class Followed:
    """What following came to: who changed here, which spots are still strange, who is missing.

    ``missing`` are messages by their digest, for spots whose octets have to be looked at;
    ``vanished`` those of them that lay somewhere till now. ``copied`` may lie in a folder, too, to
    which they were told to go: by digest and that folder. ``alike`` are strange spots that agree in
    Message-ID, size and date with one message that is here: the same octets.
    """

    changed: set[int] = field(default_factory=set)
    strange: dict[Spot, Glimpse] = field(default_factory=dict)
    missing: dict[bytes, list[int]] = field(default_factory=dict)
    vanished: set[int] = field(default_factory=set)
    copied: dict[tuple[bytes, int], int] = field(default_factory=dict)
    alike: dict[Spot, int] = field(default_factory=dict)


def follow(session: Session, connection: Connection, look: Look, *, now: datetime) -> Followed:
    """Let messages that are known here be as they were seen to be there."""
    return _Following(session, connection, look, now).done()


class _Following:
    def __init__(self, session: Session, connection: Connection, look: Look, now: datetime) -> None:
        self._session, self._look, self._at = session, look, int(now.timestamp())
        self._sides = Sides(session, connection, keep=True)
        self._begun = begun_on_server(session, connection.mailbox_id)
        self._left = left_on_server(session, connection.mailbox_id)
        self._changes = ChangesElsewhere(self._sides.erased)
        self._seen: list[OnServer] = []

    def done(self) -> Followed:
        sides, look = self._sides, self._look
        self._put_new_labels()
        lay = sides.at(look.gone)
        missing = self._missing(list(lay.values()))
        new = {
            spot: _known_by(glimpse)
            for spot, glimpse in look.new.items()
            if not flags_of(glimpse.flags).deleted
        }
        known_again = matched((sought for _, sought in missing), new)
        by_id = sides.by_ids(known_again.message_at.values())
        seen = sides.at(look.flags)
        for spot, message_id in known_again.message_at.items():
            glimpse = look.new[spot]
            self._see(by_id[message_id], spot, flags_of(glimpse.flags), glimpse.size)
        for spot, flags in look.flags.items():
            if spot in seen:
                message = seen[spot]
                self._see(message, spot, flags_of(flags), message.size)
            elif self._left.get(spot) and not flags_of(flags).deleted:
                forget_left(self._session, spot)  # somebody brought it back: the next look finds it
        self._make()
        forget_begun(self._session, known_again.message_at.values())
        for spot in look.gone - lay.keys():
            forget_left(self._session, spot)
        lost, copied = _still_missing(missing, set(known_again.message_at.values()))
        strange = {spot: look.new[spot] for spot in new if spot not in known_again.message_at}
        vanished = {mirrored.message_id for mirrored in lay.values()}
        return Followed(
            self._changes.messages, strange, lost, vanished, copied, self._alike(new, strange)
        )

    def _alike(self, new: Mapping[Spot, KnownBy], strange: Iterable[Spot]) -> dict[Spot, int]:
        here: dict[KnownBy, set[bytes]] = {}
        first: dict[KnownBy, int] = {}
        names = {new[spot].message_id for spot in strange}
        for message in self._sides.called(name for name in names if name is not None):
            known_by = KnownBy(message.called, message.size, message.received_at)
            here.setdefault(known_by, set()).add(message.digest)
            first.setdefault(known_by, message.message_id)
        return {
            spot: first[new[spot]]
            for spot in strange
            if new[spot].message_id is not None and len(here.get(new[spot], ())) == 1
        }

    def _put_new_labels(self) -> None:
        """A label that is new here is on what bears its keyword there."""
        keywords = {
            self._sides.keyword_of[label].lower(): label for label in self._sides.new_labels
        }
        for message in self._sides.with_keywords() if keywords else ():
            borne = self._sides.here(message).keywords
            for keyword in keywords.keys() & message.keywords - borne:
                self._changes.label(message.message_id, keywords[keyword], put=True)
        if self._changes.messages:
            self._changes.make(self._session, at=self._at)
            self._changes = ChangesElsewhere(self._sides.erased)

    def _missing(self, gone: list[Mirrored]) -> list[tuple[bytes, Missing]]:
        """The messages that are ``gone`` from where they lay, or lie nowhere."""
        others = self._sides.nowhere()
        gone_ids = {message.message_id for message in gone}
        return [
            (
                message.digest,
                Missing(
                    message.message_id,
                    KnownBy(message.called, message.size, message.received_at),
                    self._begun.get(message.message_id),
                    lies=message.lies_there and message.message_id not in gone_ids,
                ),
            )
            for message in (
                *gone,
                *(mirrored for mirrored in others if mirrored.message_id not in gone_ids),
            )
        ]

    def see_again(self, known_again: Iterable[tuple[Spot, Glimpse, int]]) -> set[int]:
        """Messages were known again; those that changed."""
        spots = {message_id: (spot, glimpse) for spot, glimpse, message_id in known_again}
        for message_id, message in self._sides.by_ids(spots).items():
            spot, glimpse = spots[message_id]
            self._see(message, spot, flags_of(glimpse.flags), glimpse.size)
        forget_begun(self._session, spots)
        self._make()
        return self._changes.messages

    def _see(self, message: Mirrored, spot: Spot, flags: ServerFlags, size: int) -> None:
        """A message was seen on the server."""
        sides = self._sides
        row = sides.row_of[spot.folder]
        there = Marks(
            OUT_OF_SIGHT if flags.deleted else row.folder_id,
            flags.seen,
            flags.flagged,
            sides.labels(flags.keywords),
        )
        before, here = sides.before(message), sides.here(message)
        if not message.lies_there and message.message_id in self._begun:
            # It was told to come here, and nothing else was known of it.
            before = Marks(there.place, before.seen, before.flagged, before.keywords)
        by_rule = there.place != before.place != here.place and placed_by_rule(
            self._session, message.message_id
        )
        both = agreed(before, here, there, placed_by_rule=by_rule)
        self._changes.flags(message.message_id, here, both, sides.label_of)
        if both.place != here.place:
            folder = sides.erased if both.place == OUT_OF_SIGHT else both.place
            if folder != message.folder_id:
                self._changes.mark(message.message_id, "folder_id", message.folder_id, folder)
        lay = (message.server_folder_id, message.uid)
        if message.message_id in self._begun and message.uid and lay != (spot.folder, spot.uid):
            # It was copied, and what it was copied from is still to go.
            source = message.server_folder_id or 0
            if Spot(source, message.uid) not in self._look.gone:
                keep_left(self._session, source, [message.uid], marked=False)
        seen, flagged, deleted = flags.seen, flags.flagged, flags.deleted
        self._seen.append(
            OnServer(message.message_id, *spot, seen, flagged, deleted, flags.keywords, size)
        )

    def _make(self) -> None:
        """Make here what was seen, and note where it was seen."""
        note_on_server(self._session, self._seen)
        self._seen = []
        self._changes.make(self._session, at=self._at)


def _still_missing(
    missing: Iterable[tuple[bytes, Missing]], known_again: set[int]
) -> tuple[dict[bytes, list[int]], dict[tuple[bytes, int], int]]:
    """The messages that were not found: those that lie nowhere, and those that were copied."""
    lost: dict[bytes, list[int]] = {}
    copied: dict[tuple[bytes, int], int] = {}
    for digest, sought in missing:
        if sought.message in known_again:
            continue
        if sought.lies:
            copied[digest, sought.expected or 0] = sought.message
        else:
            lost.setdefault(digest, []).append(sought.message)
    return lost, copied


def _known_by(glimpse: Glimpse) -> KnownBy:
    called = parse_header(glimpse.header, "Message-ID").message_id
    return KnownBy(called, glimpse.size, int(glimpse.received.timestamp()))


def recognise(
    session: Session,
    connection: Connection,
    known_again: Iterable[tuple[Spot, Glimpse, int]],
    *,
    now: datetime,
) -> set[int]:
    """Messages that were known again by their octets, at their new spots; those changed here."""
    return _Following(session, connection, Look(), now).see_again(known_again)


def take_for_gone(
    session: Session, connection: Connection, message_ids: Iterable[int], *, now: datetime
) -> set[int]:
    """Messages that vanished from everywhere are out of sight; those that were not so before."""
    sides = Sides(session, connection)
    changes = ChangesElsewhere(sides.erased)
    gone = set(message_ids)
    for message in sides.by_ids(gone).values():
        if message.folder_id != sides.erased:
            changes.mark(message.message_id, "folder_id", message.folder_id, sides.erased)
    nowhere_on_server(session, sorted(gone))
    changes.make(session, at=int(now.timestamp()))
    return changes.messages


def in_batches(
    spots: Iterable[tuple[Spot, Glimpse]], octets: int
) -> Iterator[list[tuple[Spot, Glimpse]]]:
    """Messages to fetch at a time: bounded by their octets, one at least."""
    batch: list[tuple[Spot, Glimpse]] = []
    size = 0
    for spot, glimpse in spots:
        if batch and size + glimpse.size > octets:
            yield batch
            batch, size = [], 0
        batch.append((spot, glimpse))
        size += glimpse.size
    if batch:
        yield batch
