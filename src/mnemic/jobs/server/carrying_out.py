"""Carrying out on a server what is done here: both sides are compared, and what differs is told."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from typing import TypeAlias

from sqlmodel import Session

from mnemic.core.mirror import (
    FOR_GOOD,
    Command,
    Copy,
    Difference,
    Expunge,
    Mark,
    Marks,
    Move,
    commands_for,
)
from mnemic.jobs.server.mirrored_folders import FolderList, make_on_server
from mnemic.jobs.server.pass_report import PassReport
from mnemic.jobs.server.sides import OUT_OF_SIGHT, Sides
from mnemic.jobs.shared.destroying import GONE_FROM_TRASH, destroy
from mnemic.post.imap import CommandRefusedError, ServerMailbox
from mnemic.store import Database
from mnemic.store.mail.folders import list_folders
from mnemic.store.mail.listing import placed_until
from mnemic.store.mail.messages import octets_of_messages
from mnemic.store.server.connections import Connection
from mnemic.store.server.server_messages import (
    Mirrored,
    OnServer,
    begin_on_server,
    forget_begun,
    forget_left,
    header_only,
    keep_left,
    left_on_server,
    mirrored_at,
    note_on_server,
    nowhere_on_server,
    twin_on_server,
)

__all__ = ["CarryingOut"]

_DELETED = "\\Deleted"

_DAY = 86_400

#: Messages that leave a trash at a time: others get their turn.
_BATCH = 200


#: MOVE or COPY of messages into a folder: their new UIDs, where they are told.
_Going: TypeAlias = Callable[[Sequence[int], str], dict[int, int] | None]


@dataclass
class CarryingOut:
    """Tells a server what differs; afterwards the server is known to have it.

    Each command is noted before it is given, so that what is cut off is found again. It is
    ``unsure`` where what it told came to is to be seen by a look alone.
    """

    database: Database
    connection: Connection
    mailbox: ServerMailbox
    folders: FolderList
    report: PassReport
    now: datetime
    undo_days: int
    trash_days: int
    keeps_keywords: bool = True
    unsure: bool = False
    _refused: set[int] = field(default_factory=set)

    def carry_out(self) -> None:
        """Tell all that differs."""
        self._read()
        if self._make_needed_folders():
            self._read()
        sides, differences = self._sides, self._differences
        self._wanted = {
            (difference.folder, difference.uid): difference.wanted for difference in differences
        }
        self._there = {
            (difference.folder, difference.uid): difference.there for difference in differences
        }
        commands = commands_for(
            differences,
            can_move=self.mailbox.can("MOVE"),
            can_expunge=self.mailbox.can("UIDPLUS"),
        )
        did = self._clear_left()
        opened: int | None = None
        for command in commands:
            row = sides.rows[command.folder]
            if row.id != opened:
                self.mailbox.open(row.name, only_look=False)
                opened = row.id
            try:
                self._give(command)
            except CommandRefusedError as refusal:
                self.report.troubles.append(f"{row.path}: {refusal}")
                self._forget_begun(self._messages(command))
                self.unsure = True
        put = self._put_what_is_nowhere()
        self.unsure = self.unsure or put or did

    def _read(self) -> None:
        """Read what may differ, and how."""
        with self.database.reading() as session:
            self._sides = Sides(session, self.connection, to_tell=True)
            self._may_differ = self._sides.differing()
            self._may_differ += self._leaving_trash(session, self._may_differ)
            self._by_spot = {
                (message.server_folder_id, message.uid): message for message in self._may_differ
            }
            self._places = {self._sides.here(message).place for message in self._may_differ}
            self._differences = list(filter(None, map(self._difference, self._may_differ)))

    def _leaving_trash(self, session: Session, others: list[Mirrored]) -> list[Mirrored]:
        """What has lain in the trash for its time, where that is emptied."""
        if not self.connection.empties_trash:
            return []
        due = placed_until(session, self._sides.trash, self._trash_since(), _BATCH)
        known = {message.message_id for message in others}
        leaving = self._sides.by_ids(due).values()
        return [message for message in leaving if message.message_id not in known]

    def _trash_since(self) -> int:
        """What has been in the trash since then leaves it."""
        return int(self.now.timestamp()) - self.trash_days * _DAY

    def _forget_begun(self, messages: list[Mirrored]) -> None:
        """What was refused is nowhere to be looked for."""
        with self.database.writing() as session:
            forget_begun(session, [message.message_id for message in messages])

    def _clear_left(self) -> bool:
        """Mark as deleted what was copied when a pass broke off, and expunge what can be."""
        with self.database.reading() as session:
            left = left_on_server(session, self.connection.mailbox_id)
        can_expunge = self.mailbox.can("UIDPLUS")
        to_do = [spot for spot, marked in left.items() if can_expunge or not marked]
        for folder, uid in to_do:
            row = self._sides.row_of.get(folder)
            if row is None:
                continue
            self.mailbox.open(row.name, only_look=False)
            self.mailbox.mark([uid], {_DELETED}, on=True)
            if can_expunge:
                self.mailbox.expunge([uid])
            with self.database.writing() as session:
                if can_expunge:
                    forget_left(session, (folder, uid))
                else:
                    keep_left(session, folder, [uid], marked=True)
        return bool(to_do)

    def _difference(self, message: Mirrored) -> Difference | None:
        """What differs between a message here and there, seen from the server."""
        sides = self._sides
        if message.server_folder_id is None or message.uid is None:
            return None
        row = sides.row_of.get(message.server_folder_id)
        here, there = sides.here(message), sides.before(message)
        if row is None or (message.was_deleted and here.place == OUT_OF_SIGHT):
            return None
        place = here.place
        if place == sides.trash and self._is_over(message):
            place = FOR_GOOD
        if place not in sides.rows and place != FOR_GOOD:
            place = row.folder_id  # there is no such folder on the server: it was refused
        keywords = here.keywords if self.keeps_keywords else there.keywords
        wanted = Marks(place, here.seen, here.flagged, keywords)
        before = Marks(row.folder_id, there.seen, there.flagged, there.keywords)
        if wanted == before and not message.was_deleted:
            return None
        return Difference(row.folder_id, message.uid, before, wanted)

    def _is_over(self, message: Mirrored) -> bool:
        """Whether what is erased here was held back for long enough, or lay in the trash so."""
        if message.folder_id == self._sides.erased:
            return message.placed_at <= self.now.timestamp() - self.undo_days * _DAY
        return self.connection.empties_trash and message.placed_at <= self._trash_since()

    def _make_needed_folders(self) -> bool:
        """Make special folders there that something is to go to; whether any were missing."""
        with self.database.reading() as session:
            folders = {folder.id: folder for folder in list_folders(session)}
        missing = self._places & folders.keys() - self._sides.rows.keys()
        for key in missing:
            if key not in self._refused:
                try:
                    make_on_server(self.database, self.mailbox, self.folders, folders[key])
                except CommandRefusedError as refusal:
                    self._refused.add(key)
                    self.report.troubles.append(f"{folders[key].path}: {refusal}")
        return bool(missing)

    # --- giving commands

    def _messages(self, command: Command) -> list[Mirrored]:
        folder = self._sides.rows[command.folder].id
        return [self._by_spot[folder, uid] for uid in command.uids]

    def _give(self, command: Command) -> None:
        messages = self._messages(command)
        match command:
            case Mark() if command.flags == {_DELETED}:
                self.mailbox.mark(command.uids, command.flags, on=True)
                self._note_left(command, messages)
            case Mark():
                spelled = {self._sides.spelled.get(flag, flag) for flag in command.flags}
                self.mailbox.mark(command.uids, spelled, on=command.on)
                self._note_marks(command, messages)
            case Move():
                self._go(command, messages, self.mailbox.move)
            case Copy():
                self._go(command, messages, self.mailbox.copy)
            case Expunge():
                self.mailbox.expunge(command.uids)
                with self.database.writing() as session:
                    for uid in command.uids:
                        forget_left(session, (self._sides.rows[command.folder].id, uid))
        self.report.there |= {message.message_id for message in messages}

    def _is_for_good(self, folder: int, message: Mirrored) -> bool:
        wanted = self._wanted.get((folder, message.uid or 0))
        return wanted is not None and wanted.place == FOR_GOOD

    def _go(self, command: Move | Copy, messages: list[Mirrored], how: _Going) -> None:
        """Move messages, or copy them so that they can go; note where they are then."""
        target = self._sides.rows[command.target]
        ids = [moved.message_id for moved in messages]
        with self.database.writing() as session:
            begin_on_server(session, ids, target.id)
        new = how(command.uids, target.name)
        with self.database.writing() as session:
            if isinstance(command, Copy):
                source = self._sides.rows[command.folder].id
                keep_left(session, source, command.uids, marked=False)
            if new is None:
                nowhere_on_server(session, ids)  # the next look finds them in the target
                self.unsure = True
                return
            self.unsure = self.unsure or len(new) < len(messages)
            notes = []
            for message in messages:
                marks = self._there[command.folder, message.uid or 0]
                notes.append(self._noted(message, target.id, new.get(message.uid or 0), marks))
            note_on_server(session, notes)
            forget_begun(
                session, [moved.message_id for moved in messages if (moved.uid or 0) in new]
            )

    def _note_marks(self, command: Mark, messages: list[Mirrored]) -> None:
        notes = []
        for message in messages:
            key = command.folder, message.uid or 0
            marks = self._there[key] = _marked(self._there[key], command)
            notes.append(self._noted(message, message.server_folder_id, message.uid, marks))
        with self.database.writing() as session:
            note_on_server(session, notes)

    def _noted(
        self, message: Mirrored, folder: int | None, uid: int | None, marks: Marks
    ) -> OnServer:
        strange = message.keywords - self._sides.labels(message.keywords)
        return OnServer(
            message.message_id,
            folder if uid is not None else None,
            uid,
            marks.seen,
            marks.flagged,
            False,
            strange | marks.keywords,
            message.size,
        )

    def _note_left(self, command: Mark, messages: list[Mirrored]) -> None:
        """They were copied, or are to go for good: nothing of ours lies there any more."""
        folder = self._sides.rows[command.folder].id
        gone = [message for message in messages if self._is_for_good(command.folder, message)]
        trash = self._sides.trash
        emptied = [message.message_id for message in gone if message.folder_id == trash]
        with self.database.writing() as session:
            nowhere_on_server(session, [message.message_id for message in gone])
            keep_left(session, folder, command.uids, marked=True)
            if emptied:
                at = int(self.now.timestamp())
                destroy(session, GONE_FROM_TRASH, trash, emptied, at)

    # --- what lies nowhere

    def _put_what_is_nowhere(self) -> bool:
        """Put on the server what is here alone: copies, and what undo brought back."""
        did = False
        for message in self._may_differ:
            row = self._sides.rows.get(message.folder_id)
            if message.lies_there or row is None or message.folder_id == self._sides.erased:
                continue
            try:
                self._put(message, row.id, row.name)
            except CommandRefusedError as refusal:
                self.report.troubles.append(f"{row.path}: {refusal}")
                self._forget_begun([message])
                continue
            did = True
            self.report.there.add(message.message_id)
        return did

    def _put(self, message: Mirrored, folder: int, name: str) -> None:
        with self.database.writing() as session:
            begin_on_server(session, [message.message_id], folder)
            twin = twin_on_server(session, message.message_id)
            originals = mirrored_at(session, [twin] if twin else [])
        here = self._sides.here(message)
        uid, marks = None, Marks(here.place)
        if twin is not None and twin[0] in self._sides.row_of:
            self.mailbox.open(self._sides.row_of[twin[0]].name, only_look=False)
            new = self.mailbox.copy([twin[1]], name)
            uid = None if new is None else new.get(twin[1])
            marks = self._sides.before(originals[0])
        else:
            with self.database.reading() as session:
                octets = dict(octets_of_messages(session, [message.message_id]))
                if header_only(session, octets):
                    raise CommandRefusedError("only the header is here, and it is nowhere there")
            marks = here
            flags = {"\\Seen": here.seen, "\\Flagged": here.flagged}
            borne = {flag for flag, on in flags.items() if on}
            borne |= {self._sides.spelled[keyword] for keyword in here.keywords}
            borne |= message.keywords - self._sides.labels(message.keywords)  # those of others
            received = datetime.fromtimestamp(message.received_at, UTC)
            uid = self.mailbox.append(name, octets[message.message_id], borne, received)
        with self.database.writing() as session:
            note_on_server(session, [self._noted(message, folder, uid, marks)])
            if uid is not None:
                forget_begun(session, [message.message_id])


def _marked(marks: Marks, command: Mark) -> Marks:
    """What a message has once a command was given: no more than that one changes."""
    keywords = {flag for flag in command.flags if not flag.startswith("\\")}
    return replace(
        marks,
        seen=command.on if "\\Seen" in command.flags else marks.seen,
        flagged=command.on if "\\Flagged" in command.flags else marks.flagged,
        keywords=marks.keywords | keywords if command.on else marks.keywords - keywords,
    )
