"""Following a server: what a look saw there becomes so here."""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime

from sqlmodel import Session

from mnemic.core import parse_message
from mnemic.core.mirror import KnownBy, Marks, Missing, Spot, agreed, matched
from mnemic.jobs.server.changes_elsewhere import ChangesElsewhere
from mnemic.jobs.server.looking import Look
from mnemic.jobs.server.sides import OUT_OF_SIGHT, ServerFlags, Sides, flags_of
from mnemic.post.imap import Glimpse
from mnemic.store.server.connections import Connection
from mnemic.store.server.server_messages import (
    Mirrored,
    begun_on_server,
    forget_begun,
    forget_left,
    keep_left,
    left_on_server,
    note_on_server,
    nowhere_on_server,
    placed_by_rule,
)

__all__ = ["Followed", "follow", "in_batches", "known_spots", "recognise", "take_for_gone"]


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


def known_spots(session: Session, sides: Sides) -> dict[int, dict[int, Spot]]:
    """By folder of the server and UID the spots that are known, those that were left among them."""
    known: dict[int, dict[int, Spot]] = {}
    for spot in (
        *sides.by_spot,
        *(Spot(*each) for each in left_on_server(session, sides.mailbox_id)),
    ):
        known.setdefault(spot.folder, {})[spot.uid] = spot
    return known


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

    def done(self) -> Followed:
        sides, look = self._sides, self._look
        self._put_new_labels()
        by_spot = sides.by_spot
        missing = self._missing(by_spot.items())
        new = {
            spot: _known_by(glimpse)
            for spot, glimpse in look.new.items()
            if not flags_of(glimpse.flags).deleted
        }
        found = matched((each for _, each in missing), new)
        by_id = {each.message_id: each for each in sides.messages}
        for spot, message_id in found.found.items():
            glimpse = look.new[spot]
            self._see(by_id[message_id], spot, flags_of(glimpse.flags), glimpse.size)
        for spot, flags in look.flags.items():
            if spot in by_spot:
                message = by_spot[spot]
                self._see(message, spot, flags_of(flags), message.size)
            elif self._left.get(spot) and not flags_of(flags).deleted:
                forget_left(self._session, spot)  # somebody brought it back: the next look finds it
        self._changes.make(self._session, at=self._at)
        for message_id in found.found.values():
            forget_begun(self._session, [message_id])
        for spot in look.gone - by_spot.keys():
            forget_left(self._session, spot)
        lost: dict[bytes, list[int]] = {}
        copied: dict[tuple[bytes, int], int] = {}
        for digest, each in missing:
            if each.message in found.found.values():
                continue
            if each.lies:
                copied[digest, each.expected or 0] = each.message
            else:
                lost.setdefault(digest, []).append(each.message)
        strange = {spot: look.new[spot] for spot in new if spot not in found.found}
        vanished = {each.message_id for spot, each in by_spot.items() if spot in look.gone}
        return Followed(
            self._changes.messages, strange, lost, vanished, copied, self._alike(new, strange)
        )

    def _alike(self, new: Mapping[Spot, KnownBy], strange: Iterable[Spot]) -> dict[Spot, int]:
        here: dict[KnownBy, set[bytes]] = {}
        first: dict[KnownBy, int] = {}
        for message in self._sides.messages:
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
        keywords = {self._sides.keyword_of[each].lower(): each for each in self._sides.new_labels}
        for message in self._sides.messages:
            borne = self._sides.here(message).keywords
            for keyword in keywords.keys() & message.keywords - borne:
                self._changes.label(message.message_id, keywords[keyword], put=True)
        if self._changes.messages:
            self._changes.make(self._session, at=self._at)
            self._changes = ChangesElsewhere(self._sides.erased)

    def _missing(self, by_spot: Iterable[tuple[Spot, Mirrored]]) -> list[tuple[bytes, Missing]]:
        """The messages that do not lie where they lay, or lie nowhere."""
        gone = [message for spot, message in by_spot if spot in self._look.gone]
        others = [
            message
            for message in self._sides.messages
            if not message.lies_there or message.message_id in self._begun
        ]
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
            for message in (*gone, *(each for each in others if each.message_id not in gone_ids))
        ]

    def see_again(self, message_id: int, spot: Spot, glimpse: Glimpse) -> None:
        """A message was known again."""
        message = self._sides.by_id[message_id]
        self._see(message, spot, flags_of(glimpse.flags), glimpse.size)
        forget_begun(self._session, [message_id])

    def make(self) -> set[int]:
        """Make the changes that were gathered; the messages that changed."""
        self._changes.make(self._session, at=self._at)
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
        if message.message_id in self._begun and message.uid and spot not in self._sides.by_spot:
            # It was copied, and what it was copied from is still to go.
            source = message.server_folder_id or 0
            if Spot(source, message.uid) not in self._look.gone:
                keep_left(self._session, source, [message.uid], marked=False)
        note_on_server(
            self._session,
            message.message_id,
            *spot,
            seen=flags.seen,
            flagged=flags.flagged,
            deleted=flags.deleted,
            keywords=flags.keywords,
            size=size,
        )


def _known_by(glimpse: Glimpse) -> KnownBy:
    called = parse_message(glimpse.header).message_id
    return KnownBy(called, glimpse.size, int(glimpse.received.timestamp()))


def recognise(
    session: Session,
    connection: Connection,
    found: Iterable[tuple[Spot, Glimpse, int]],
    *,
    now: datetime,
) -> set[int]:
    """Messages that were known again by their octets, at their new spots; those changed here."""
    following = _Following(session, connection, Look(), now)
    for spot, glimpse, message_id in found:
        following.see_again(message_id, spot, glimpse)
    return following.make()


def take_for_gone(
    session: Session, connection: Connection, message_ids: Iterable[int], *, now: datetime
) -> set[int]:
    """Messages that vanished from everywhere are out of sight; those that were not so before."""
    sides = Sides(session, connection)
    changes = ChangesElsewhere(sides.erased)
    gone = set(message_ids)
    for message in sides.messages:
        if message.message_id in gone and message.folder_id != sides.erased:
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
