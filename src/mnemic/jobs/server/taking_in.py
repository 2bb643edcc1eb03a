"""Mail that is new on a server is fetched and kept; what arrived goes through the rules."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple

from sqlmodel import Session

from mnemic.core import Event, ParsedMessage, parse_message
from mnemic.core.mirror import Spot
from mnemic.jobs.intake.arrival import Arrival, Intake, Landed
from mnemic.jobs.server.following import in_batches, recognise
from mnemic.jobs.server.looking import Look
from mnemic.jobs.server.one_ahead import one_ahead
from mnemic.jobs.server.pass_report import PassReport
from mnemic.jobs.server.served_mail import ServedIntake, ServedLine, served_line
from mnemic.jobs.server.sides import flags_of
from mnemic.post.imap import Glimpse, ServerMailbox
from mnemic.store import Database
from mnemic.store.mail.folders import folder_with_role
from mnemic.store.mail.labels import label_name
from mnemic.store.mail.mailboxes import count_in_mailbox
from mnemic.store.mail.message_content import digest_of
from mnemic.store.mail.messages import octets_of_messages
from mnemic.store.server.connections import Connection, set_state
from mnemic.store.server.label_keywords import label_keywords
from mnemic.store.server.server_folders import change_server_folder, server_folders
from mnemic.store.server.server_messages import OnServer, note_on_server
from mnemic.store.server.server_scripts import server_script

__all__ = ["TakingIn", "keep_progress"]

#: Octets that are fetched at a time.
_BATCH = 4_000_000

#: So many new messages take their time.
_MANY = 500

#: Seconds by which the server's clock may be behind ours.
_CLOCKS_DIFFER = 60


class _Takers(NamedTuple):
    """What takes a message in: through the rules, past them, or after its server sorted it."""

    sorting: Intake
    plain: Intake
    served: ServedIntake | None


@dataclass
class TakingIn:
    """Fetches what is new and takes it in, batch by batch: each is kept when it is here.

    ``missing`` are the messages, by digest, that lie nowhere: who is known again is not new, nor
    are those that were ``copied`` to a folder when the connection broke. ``alike`` are spots with
    further copies of messages that are here.
    ``largest`` is how many octets a message may have; of a larger one the header is kept.
    """

    database: Database
    connection: Connection
    mailbox: ServerMailbox
    look: Look
    missing: dict[bytes, list[int]]
    copied: dict[tuple[bytes, int], int]
    alike: Mapping[Spot, int]
    largest: int
    report: PassReport
    now: datetime

    def take(self, strange: Mapping[Spot, Glimpse]) -> None:
        """Take in what is at spots that nobody knows: what arrived first, then the newest."""
        with self.database.reading() as session:
            self._rows = {
                row.id: row for row in server_folders(session, self.connection.mailbox_id).values()
            }
            self._inbox = folder_with_role(session, "inbox", self.connection.mailbox_id)
            self._sent = folder_with_role(session, "sent", self.connection.mailbox_id)
            self._here = count_in_mailbox(session, self.connection.mailbox_id)
            self._script = server_script(session, self.connection.account.id)
            self._served: ServedLine | None = None
            self._served_folders: set[int] = set()
            if self._script is not None and self._script.sorts_there:
                self._served = served_line(session, self._script)
                self._served_folders = self._served.folders(session, self.connection.mailbox_id)
        arrived = {
            spot: glimpse
            for spot, glimpse in strange.items()
            if self._event(spot) is not None or self._was_served(spot, glimpse)
        }
        others = {spot: glimpse for spot, glimpse in strange.items() if spot not in arrived}
        in_order = sorted(arrived.items(), key=lambda item: (item[1].received, item[0]))
        newest_first = sorted(others.items(), key=lambda item: item[1].received, reverse=True)
        taken = self._here
        batches = [*in_batches(in_order, _BATCH), *in_batches(newest_first, _BATCH)]
        with one_ahead(batches, self._fetched) as fetched:
            for batch, octets in fetched:
                self._take_batch(batch, octets)
                taken += len(batch)
                self._tell_progress(taken, len(strange) + sum(self.look.unseen.values()))

    def _tell_progress(self, taken: int, coming: int) -> None:
        """How far the mirror is, where that takes its time."""
        if coming < _MANY:
            return
        state = f"mirroring {taken:,} of {self._here + coming:,}; rehearsal looks at these"
        with self.database.writing() as session:
            set_state(session, self.connection.account.id, state)

    def _event(self, spot: Spot) -> Event | None:
        """What a message is, if it came since the account was connected."""
        row = self._rows[spot.folder]
        if row.folder_id == self._sent:
            return "sent" if row.mirrored and spot.folder not in self.look.anew else None
        if row.folder_id != self._inbox:
            return None
        validity, uidnext = self.connection.inbox or (None, 0)
        if spot.folder in self.look.anew:
            return "arrival" if row.mirrored else None
        return "arrival" if row.validity == validity and spot.uid >= uidnext else None

    def _was_served(self, spot: Spot, glimpse: Glimpse) -> bool:
        """Whether a message came while the server sorted by our script, and may be sorted so."""
        script, row = self._script, self._rows[spot.folder]
        if self._served is None or script is None:
            return False
        if row.folder_id == self._inbox:
            validity, uidnext = script.inbox or (None, 0)
            since = row.validity != validity or spot.uid >= uidnext
            return since and self._event(spot) == "arrival"
        received = glimpse.received.timestamp()
        return row.folder_id in self._served_folders and received >= script.since - _CLOCKS_DIFFER

    def _take_batch(
        self, batch: Sequence[tuple[Spot, Glimpse]], fetched: Mapping[Spot, bytes]
    ) -> None:
        self.report.fetched += len(fetched)
        alike = [spot for spot, _ in batch if spot in self.alike]
        octets = {**fetched, **self._known_octets(alike)}
        with self.database.writing() as session:
            again, new = [], []
            for spot, glimpse in batch:
                if spot not in octets:
                    continue  # it has vanished since: the next look tells
                digest = digest_of(octets[spot])
                message_id = self.copied.pop((digest, spot.folder), None)
                if message_id is None and self.missing.get(digest):
                    message_id = self.missing[digest].pop(0)
                if message_id is not None:
                    again.append((spot, glimpse, message_id))
                else:
                    new.append((spot, glimpse))
            if again:
                self.report.changed |= recognise(session, self.connection, again, now=self.now)
            self._keep(session, new, octets)

    def _known_octets(self, spots: Sequence[Spot]) -> dict[Spot, bytes]:
        """The octets of further copies of what is here already."""
        with self.database.reading() as session:
            known = dict(octets_of_messages(session, [self.alike[spot] for spot in spots]))
        return {spot: known[self.alike[spot]] for spot in spots if self.alike[spot] in known}

    def _fetched(self, batch: Iterable[tuple[Spot, Glimpse]]) -> dict[Spot, bytes]:
        """The octets of a batch, folder by folder; of what is too large those of its header."""
        wanted: dict[tuple[int, bool], list[int]] = {}
        for spot, glimpse in batch:
            if spot in self.alike:
                continue  # its octets are here
            key = spot.folder, glimpse.size > self.largest
            wanted.setdefault(key, []).append(spot.uid)
        octets = {}
        for (folder, header_only), uids in wanted.items():
            self.mailbox.open(self._rows[folder].name, only_look=True)
            for message in self.mailbox.fetch(uids, header_only=header_only):
                octets[Spot(folder, message.uid)] = message.octets
        return octets

    def _keep(
        self, session: Session, new: Sequence[tuple[Spot, Glimpse]], octets: Mapping[Spot, bytes]
    ) -> None:
        takes = _Takers(
            Intake(session, self.now, runs=self.report.runs),
            Intake(session, self.now, []),
            None
            if self._served is None
            else ServedIntake(session, self.now, self._served, runs=self.report.runs),
        )
        keywords, _ = label_keywords(session, keep=True)
        names = {word.lower(): label_name(session, label) or "" for label, word in keywords.items()}
        on_server = []
        for spot, glimpse in new:
            arrival = self._take_one(takes, spot, glimpse, parse_message(octets[spot]), names)
            if self._event(spot) == "arrival" or self._was_served(spot, glimpse):
                self.report.arrived.add(arrival.message_id)
                self.report.sorted += bool(arrival.rules)
                self.report.sounds += arrival.sounds
            flags = flags_of(glimpse.flags)
            seen, flagged, size = flags.seen, flags.flagged, glimpse.size
            key, borne = arrival.message_id, flags.keywords
            on_server.append(OnServer(key, *spot, seen, flagged, False, borne, size))
        note_on_server(session, on_server)

    def _take_one(
        self,
        takes: "_Takers",
        spot: Spot,
        glimpse: Glimpse,
        message: ParsedMessage,
        names: Mapping[str, str],
    ) -> Arrival:
        row, event, flags = self._rows[spot.folder], self._event(spot), flags_of(glimpse.flags)
        landed = Landed(
            self.connection.mailbox_id,
            row.folder_id,
            self.connection.account,
            event or "arrival",
            tuple(names[keyword] for keyword in sorted(flags.keywords) if keyword in names),
            watched=not self.connection.acting,
        )
        take: Callable[..., Arrival] = (takes.plain if event is None else takes.sorting).take_in
        if takes.served is not None and self._was_served(spot, glimpse):
            take = takes.served.take_in_served
        return take(
            message,
            received=glimpse.received,
            seen=flags.seen,
            flagged=flags.flagged,
            at=self.now,
            landed=landed,
        )


def keep_progress(session: Session, mailbox_id: int, look: Look) -> None:
    """Note how far folders were looked at, once all of what was new in them is here."""
    for row in server_folders(session, mailbox_id).values():
        state = look.states.get(row.id)
        if state is None or row.id in look.unseen:
            continue
        now = (state.validity, state.uidnext, state.modseq, True)
        if now != (row.validity, row.uidnext, row.modseq, row.mirrored):
            change_server_folder(
                session,
                row,
                validity=state.validity,
                uidnext=state.uidnext,
                modseq=state.modseq,
                mirrored=True,
            )
