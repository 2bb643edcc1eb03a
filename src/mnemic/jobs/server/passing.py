"""A pass over a connected account: look, follow, let rules act, carry out, until both agree."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Any, cast

from sqlmodel import Session

from mnemic.core import MnemicError
from mnemic.core.mirror import Spot
from mnemic.jobs.server.carrying_out import CarryingOut
from mnemic.jobs.server.chosen_folders import pair_as_chosen
from mnemic.jobs.server.following import Followed, follow, take_for_gone
from mnemic.jobs.server.looking import Look, look_at
from mnemic.jobs.server.mirrored_folders import (
    FolderList,
    drop_deleted_folders,
    follow_folders,
    remove_here,
    tell_folders,
)
from mnemic.jobs.server.named_labels import make_named_labels
from mnemic.jobs.server.pass_report import PassReport
from mnemic.jobs.server.sending_letters import send_letters
from mnemic.jobs.server.sides import Sides, changes_waiting
from mnemic.jobs.server.taking_in import TakingIn, keep_progress
from mnemic.jobs.shared.crossing import finish_crossings
from mnemic.post.imap import (
    Access,
    AccessRefusedError,
    CommandRefusedError,
    Secret,
    Security,
    ServerLostError,
    ServerMailbox,
    connected,
)
from mnemic.store import Database
from mnemic.store.mail.folders import folder_with_role
from mnemic.store.mail.mailboxes import count_in_mailbox
from mnemic.store.owner.preferences import read_preferences
from mnemic.store.server.connections import Connection, Failing, Reach, connection_of, set_state
from mnemic.store.server.folder_choices import folder_choices
from mnemic.store.server.known_spots import known_spots
from mnemic.store.server.label_keywords import forget_keywords_nobody_bears
from mnemic.store.server.secret_key import SecretKey
from mnemic.store.server.server_folders import (
    ServerFolder,
    change_server_folder,
    server_folders,
)
from mnemic.store.server.server_messages import forget_begun_that_lie
from mnemic.store.server.server_scripts import ScriptPlace

__all__ = ["IN_STEP", "access_to", "pass_over", "scripts_access", "submission_access"]

IN_STEP = "in step"

#: Rounds of looking and telling within one pass: each may bring what the next has to tell.
_ROUNDS = 6

#: Messages that are there to be seen before all of a mailbox was looked at.
_GLANCED = 100

#: How often a lost connection is made again within one pass.
_TRIES = 3


def access_to(reach: Reach) -> Access:
    """How to come in."""
    secret = Secret(reach.secret_kind, reach.secret)
    return Access(reach.host, reach.port, reach.security, reach.user, secret, reach.authorities)


def submission_access(reach: Reach) -> Access | None:
    """How to come in where letters leave: the same user and password (None: nowhere)."""
    if reach.submission is None:
        return None
    host, port, security = reach.submission
    return replace(access_to(reach), host=host, port=port, security=cast("Security", security))


def scripts_access(reach: Reach, place: ScriptPlace) -> Access:
    """How to come in where scripts are kept: the same user and password."""
    return replace(access_to(reach), host=place.host, port=place.port, security=place.security)


def pass_over(
    database: Database,
    account_id: int,
    key: SecretKey,
    *,
    largest: int,
    now: datetime | None = None,
) -> tuple[str, PassReport]:
    """One whole pass: the state it leaves, in a line, and what it came to.

    Nothing is raised for what is wrong with the server: the state says it. A lost connection is
    made again twice; a refused password is not tried again before the owner has looked.
    """
    report = PassReport()
    with database.reading() as session:
        connection = connection_of(session, account_id)
    if connection is None:
        return "there is no such account any more", report
    if connection.refused:
        return connection.state, report
    at = now or datetime.now(UTC)
    state, refused, failing = IN_STEP, False, None
    try:
        _made(_Pass(database, account_id, key, largest, report, at))
    except AccessRefusedError as error:
        state, refused = str(error), True
    except MnemicError as error:
        state, failing = str(error), _failing(database, connection, at)
    else:
        if report.troubles:
            state = report.troubles[0]
    with database.writing() as session:
        alert = report.alerts[-1] if report.alerts else None
        set_state(session, account_id, state, refused=refused, alert=alert, failing=failing)
    letters = [] if refused else _send_letters(database, account_id, key, at)
    return (letters[0] if letters and state == IN_STEP else state), report


def _failing(database: Database, connection: Connection, at: datetime) -> Failing:
    """Since when an account fails, and how much waits for it."""
    since = connection.failing.since if connection.failing else int(at.timestamp())
    with database.reading() as session:
        return Failing(since, changes_waiting(session, connection))


def _made(one: "_Pass") -> None:
    """Make a pass; where the connection is lost, over another one. Raises ServerError."""
    for attempt in range(_TRIES):
        try:
            return one.run()
        except ServerLostError:
            if attempt == _TRIES - 1:
                raise
    return None


def _send_letters(database: Database, account_id: int, key: SecretKey, at: datetime) -> list[str]:
    """Send what is due; what could not be sent. An account that is only watched sends nothing."""
    try:
        with database.reading() as session:
            connection = connection_of(session, account_id, key)
    except MnemicError as error:
        return [str(error)]
    access = submission_access(connection.reach) if connection else None
    if connection is None or access is None or not connection.acting:
        return []
    return send_letters(database, connection, access, now=int(at.timestamp()))


@dataclass
class _Pass:
    database: Database
    account_id: int
    key: SecretKey
    largest: int
    report: PassReport
    now: datetime
    _unseen: bool = False

    def run(self) -> None:
        """Make it, over one connection."""
        connection = self._connection()
        with connected(access_to(connection.reach)) as client:
            mailbox = ServerMailbox(client, largest=self.largest)
            try:
                rounds = 0
                while rounds < _ROUNDS:
                    self.report.troubles.clear()
                    fetched = self.report.fetched
                    if not self._round(self._connection(), mailbox):
                        return
                    # Whatever the server says, what brings nothing is not done without an end.
                    rounds += not (self._unseen and self.report.fetched > fetched)
                self.report.troubles.append("there is more to do; the next pass goes on")
            finally:
                self.report.alerts += mailbox.alerts

    def _connection(self) -> Connection:
        with self.database.reading() as session:
            connection = connection_of(session, self.account_id, self.key)
        assert connection is not None  # noqa: S101 -- it was there when the pass began
        return connection

    def _round(self, connection: Connection, mailbox: ServerMailbox) -> bool:
        """Look and follow, then tell; whether there may be more to do."""
        with self.database.reading() as session:
            choices = folder_choices(session, connection.mailbox_id)
        folders = FolderList.of(mailbox, choices)
        make_named_labels(self.database)
        at = int(self.now.timestamp())
        states = self._states_of_new(connection, mailbox, folders)
        with self.database.writing() as session:
            lost = follow_folders(session, connection.mailbox_id, folders, states, at=at)
            lost_ids = {row.id for row in lost}
            pair_as_chosen(session, connection.mailbox_id, folders, at=at)
        self._glance(connection, mailbox)
        look = self._look(connection, mailbox, lost_ids)
        self._unseen = bool(look.unseen)
        taking = self._follow(connection, mailbox, look)
        with self.database.writing() as session:
            for row in server_folders(session, connection.mailbox_id).values():
                if row.id in lost_ids:
                    remove_here(session, row, at=at)
        if not connection.acting:
            return self._unseen
        more = self._tell(connection, mailbox, folders, look) or bool(taking)
        return more or self._unseen

    def _states_of_new(
        self, connection: Connection, mailbox: ServerMailbox, folders: FolderList
    ) -> dict[str, tuple[int, int]]:
        """UIDVALIDITY and UIDNEXT of folders that may be ones that have another name now."""
        with self.database.reading() as session:
            rows = server_folders(session, connection.mailbox_id).values()
            names = {row.name for row in rows}
        if names <= folders.listed.keys():
            return {}
        states = {}
        for listed in folders.mirrored():
            if listed.name not in names:
                state = mailbox.open(listed.name, only_look=True)
                states[listed.name] = state.validity, state.uidnext
        return states

    def _glance(self, connection: Connection, mailbox: ServerMailbox) -> None:
        """Take in the newest mail first if nothing of the mailbox is here yet."""
        with self.database.reading() as session:
            inbox = folder_with_role(session, "inbox", connection.mailbox_id)
            rows = server_folders(session, connection.mailbox_id)
            row = rows.get(inbox)
            if (
                row is None
                or connection.inbox is None
                or any(folder.mirrored for folder in rows.values())
            ):
                return  # only now: counting a large mailbox takes its time
            if count_in_mailbox(session, connection.mailbox_id):
                return
        validity, arrivals_from = connection.inbox
        state = mailbox.open(row.name, only_look=True)
        uids = [uid for uid in mailbox.uids() if uid < arrivals_from]
        if state.validity != validity or len(uids) <= _GLANCED:
            return
        new = {Spot(row.id, glimpse.uid): glimpse for glimpse in mailbox.glimpses(uids[-_GLANCED:])}
        look = Look(states={row.id: state}, new=new)
        self._taking_in(connection, mailbox, look).take(new)

    def _look(self, connection: Connection, mailbox: ServerMailbox, lost: set[int]) -> Look:
        with self.database.reading() as session:
            sides = Sides(session, connection)
            rows = list(sides.rows.values())
            known = known_spots(
                self.database, session, connection.mailbox_id, [row.id for row in rows]
            )
        look = Look(new_labels=bool(sides.new_labels))
        for row in rows:
            here = known[row.id]
            if row.id in lost:
                look.gone.update(here.values())
                continue
            try:
                look_at(mailbox, row, here, look, only_look=not connection.acting)
            except CommandRefusedError as refusal:
                self.report.troubles.append(f"{row.path}: {refusal}")
        self._note_looks(rows, look)
        return look

    def _note_looks(self, rows: Sequence[ServerFolder], look: Look) -> None:
        """Note where arrivals begin in folders that are new, and which answers agreed."""
        changes: dict[ServerFolder, dict[str, Any]] = defaultdict(dict)
        agreed = look.agreed()
        for row in rows:
            state = look.states.get(row.id)
            if row.validity is None and state is not None:
                changes[row] |= {"validity": state.validity, "arrivals_from": state.uidnext}
            if agreed.get(row.id, row.agreed) != row.agreed:
                changes[row]["agreed"] = agreed[row.id]
        if changes:
            with self.database.writing() as session:
                for row, columns in changes.items():
                    change_server_folder(session, row, **columns)

    def _follow(self, connection: Connection, mailbox: ServerMailbox, look: Look) -> int:
        """Follow what was seen; how many messages are new here."""
        if look.is_as_known:
            with self.database.writing() as session:
                self._keep_inbox(session, connection, look)
                forget_begun_that_lie(session, connection.mailbox_id)
                keep_progress(session, connection.mailbox_id, look)
            return 0
        with self.database.writing() as session:
            followed = follow(session, connection, look, now=self.now)
        self.report.changed |= followed.changed
        taking = self._taking_in(connection, mailbox, look, followed)
        taking.take(followed.strange)
        with self.database.writing() as session:
            missing = {key for ids in followed.missing.values() for key in ids}
            # Who is missing may be among those that were not seen yet.
            lost = set() if look.unseen else missing & followed.vanished
            gone = take_for_gone(session, connection, lost, now=self.now)
            self._keep_inbox(session, connection, look)
            forget_begun_that_lie(session, connection.mailbox_id)
            keep_progress(session, connection.mailbox_id, look)
        self.report.gone |= gone
        self.report.changed |= gone
        return len(followed.strange)

    def _taking_in(
        self,
        connection: Connection,
        mailbox: ServerMailbox,
        look: Look,
        followed: Followed | None = None,
    ) -> TakingIn:
        """What takes in; beside what was ``followed`` nobody is missed."""
        return TakingIn(
            self.database,
            connection,
            mailbox,
            look,
            followed.missing if followed else {},
            followed.copied if followed else {},
            followed.alike if followed else {},
            self.largest,
            self.report,
            self.now,
        )

    @staticmethod
    def _keep_inbox(session: Session, connection: Connection, look: Look) -> None:
        """Where arrivals begin, after the inbox got another UIDVALIDITY or was seen first."""
        inbox = folder_with_role(session, "inbox", connection.mailbox_id)
        row = server_folders(session, connection.mailbox_id).get(inbox)
        state = None if row is None else look.states.get(row.id)
        if state is None or (connection.inbox and connection.inbox[0] == state.validity):
            return
        begins = (state.validity, state.uidnext)
        set_state(session, connection.account.id, connection.state, inbox=begins)

    def _tell(
        self, connection: Connection, mailbox: ServerMailbox, folders: FolderList, look: Look
    ) -> bool:
        """Tell the server what differs; whether more is to be told, or to be seen by a look."""
        with self.database.reading() as session:
            preferences = read_preferences(session)
        self.report.troubles += tell_folders(self.database, connection.mailbox_id, mailbox, folders)
        states = look.states.values()
        carrying = CarryingOut(
            self.database,
            connection,
            mailbox,
            folders,
            self.report,
            self.now,
            preferences.undo_days,
            preferences.trash_days,
            keeps_keywords=any(state.keeps_keywords for state in states) or not states,
        )
        carrying.carry_out()
        with self.database.writing() as session:
            crossed = finish_crossings(session, at=int(self.now.timestamp()))
            forget_keywords_nobody_bears(session)
        self.report.troubles += drop_deleted_folders(self.database, connection.mailbox_id, mailbox)
        return carrying.unsure or crossed
