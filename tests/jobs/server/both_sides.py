"""A mailbox on a stand-in, its mirror here, and another device: what tests do on either side."""

import imaplib
import re
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from mnemic.core import read_rule
from mnemic.core.actions import Action
from mnemic.core.label_keyword import keyword_for
from mnemic.jobs.people.acts import act
from mnemic.jobs.server.connecting import connect, try_out
from mnemic.jobs.server.pass_report import PassReport
from mnemic.jobs.server.passing import IN_STEP, pass_over
from mnemic.jobs.server.usual_folders import local_path
from mnemic.store import Database
from mnemic.store.engine.sql import fetch
from mnemic.store.line.rules import add_rule
from mnemic.store.mail.folders import folder_paths, folder_with_role
from mnemic.store.mail.labels import labels_of, list_labels
from mnemic.store.owner.accounts import Account
from mnemic.store.search.selection import Selection
from mnemic.store.server.connections import Reach
from mnemic.store.server.secret_key import SecretKey
from tests.stand_in.standing_in import PASSWORD, USER, StandIn, standing_in

LETTER = (
    b"From: a@x.example\r\nTo: %s\r\nSubject: %s\r\nMessage-ID: <%d@x.example>\r\n\r\nbody %d\r\n"
)
KEY = SecretKey(b"k" * 32)

#: A message as both sides have it: its folder's path, Message-ID, seen, flagged, labels' keywords.
Seen = tuple[str, str | None, bool, bool, frozenset[str]]


@dataclass
class BothSides:
    """An account, connected and acting, and what is done to it here and elsewhere."""

    stand_in: StandIn
    path: Path
    database: Database
    device: imaplib.IMAP4
    account_id: int = 0
    count: int = 0
    ever: set[str] = field(default_factory=set)

    # --- elsewhere

    def send(self, folder: str = "INBOX", subject: str = "minutes", flags: str = "") -> str:
        """A new message on the server; its Message-ID."""
        self.count += 1
        octets = LETTER % (USER.encode(), subject.encode(), self.count, self.count)
        assert self.device.append(f'"{folder}"', flags, "", octets)[0] == "OK"
        self.ever.add(f"<{self.count}@x.example>")
        return f"<{self.count}@x.example>"

    def folders_there(self) -> list[str]:
        """The folders of the server."""
        return [
            line.decode().rpartition(' "/" ')[2].strip('"')
            for line in self.device.list()[1]
            if isinstance(line, bytes)
        ]

    def there(self, folder: str) -> dict[int, tuple[str, set[str]]]:
        """By UID the Message-ID and the flags of what lies in a folder."""
        assert self.device.select(f'"{folder}"')[0] == "OK"
        _, lines = self.device.uid("FETCH", "1:*", "(FLAGS BODY.PEEK[HEADER.FIELDS (MESSAGE-ID)])")
        by_uid = {}
        for line in lines:
            if isinstance(line, tuple):
                uid = re.search(rb"UID (\d+)", line[0])
                flags = re.search(rb"FLAGS \(([^)]*)\)", line[0])
                assert uid is not None
                assert flags is not None
                called = line[1].decode().removeprefix("Message-ID: ").strip()
                by_uid[int(uid[1])] = called, set(flags[1].decode().split())
        return by_uid

    def where_there(self, called: str) -> list[str]:
        """The folders of the server in which a message lies."""
        return [
            folder
            for folder in self.folders_there()
            if called
            in {
                called_there
                for called_there, flags in self.there(folder).values()
                if "\\Deleted" not in flags
            }
        ]

    def elsewhere(self, folder: str, called: str, command: str, *rest: str) -> None:
        """Do something to a message on another device."""
        uids = [uid for uid, (name, _) in self.there(folder).items() if name == called]
        assert self.device.uid(command, str(uids[0]), *rest)[0] == "OK"

    def move_elsewhere(self, folder: str, called: str, target: str) -> None:
        """Move a message on another device, whatever the server can."""
        self.elsewhere(folder, called, "COPY", f'"{target}"')
        self.delete_elsewhere(folder, called)

    def delete_elsewhere(self, folder: str, called: str) -> None:
        """Delete a message on another device, for good."""
        self.elsewhere(folder, called, "STORE", "+FLAGS", "(\\Deleted)")
        self.device.expunge()

    # --- here

    def rule(self, word: str, *then: dict[str, Any]) -> None:
        """A rule on words of the subject."""
        when = {"field": "subject", "test": "words", "values": [word]}
        with self.database.writing() as session:
            add_rule(session, read_rule({"name": word, "when": when, "then": list(then)}))

    def do(self, called: str, action: Action) -> int | None:
        """Do something by hand to the message that came first under a Message-ID; the run."""
        with self.database.writing() as session:
            ids = [
                key
                for (key,) in fetch(
                    session, "SELECT id FROM message WHERE message_id = :called", called=called
                )
            ]
            return act(session, Selection(ids=(min(ids),)), action, at=_now()).run_id

    def change(self, work: Callable[[Any], object]) -> None:
        """Change something in a transaction."""
        with self.database.writing() as session:
            work(session)

    def sync(self, state: str = IN_STEP) -> PassReport:
        """A pass, which ends so."""
        reached, report = pass_over(self.database, self.account_id, KEY, largest=2**26)
        assert reached == state, reached
        return report

    def where_here(self, called: str) -> list[str]:
        """The folders here in which a message lies, those that are erased left out."""
        return sorted(path for path, name, *_ in self.here() if name == called)

    def here(self) -> list[Seen]:
        """Every message as it is here; what is erased lies in the trash there."""
        seen_here = []
        with self.database.reading() as session:
            paths, erased = folder_paths(session), folder_with_role(session, "erased")
            rows = fetch(
                session,
                "SELECT m.id, m.folder_id, m.message_id, m.seen, m.flagged FROM message AS m"
                " WHERE m.mailbox_id <> 1 AND m.folder_id <> :erased",
                erased=erased,
            )
            labels = labels_of(session, [row[0] for row in rows])
            for key, folder, called, seen, flagged in rows:
                keywords = {keyword_for(name, set()).lower() for name in labels.get(key, [])}
                seen_here.append(
                    (paths[folder], called, bool(seen), bool(flagged), frozenset(keywords))
                )
        return seen_here

    def there_all(self) -> list[Seen]:
        """Every message as it is on the server, in the terms of here: keywords are labels."""
        with self.database.reading() as session:
            labels = {keyword_for(label.name, set()).lower() for label in list_labels(session)}
        seen_there: list[Seen] = []
        for folder in self.folders_there():
            path = "Inbox" if folder == "INBOX" else local_path(folder, "/")
            for called, flags in self.there(folder).values():
                if "\\Deleted" not in flags:
                    keywords = frozenset(map(str.lower, flags)) & labels
                    seen, flagged = "\\Seen" in flags, "\\Flagged" in flags
                    seen_there.append((path, called, seen, flagged, keywords))
        return seen_there

    def compare(self) -> None:
        """Both sides hold the same messages in the same folders with the same flags and labels."""
        here, there = Counter(self.here()), Counter(self.there_all())
        assert here == there, f"here alone: {here - there}, there alone: {there - here}"


def _now() -> int:
    return int(datetime.now(UTC).timestamp())


@contextmanager
def both_sides(tmp_path: Path, *options: str, acting: bool = True) -> Iterator[BothSides]:
    """A connected account on a stand-in of its own."""
    database = Database(tmp_path / "mail" / "mnemic.sqlite3")
    with standing_in(tmp_path / "stand-in", *options) as stand_in:
        device = stand_in.device()
        both = BothSides(stand_in, tmp_path / "mail" / "mnemic.sqlite3", database, device)
        reach = Reach("127.0.0.1", stand_in.ports["imap"], "none", USER, "password", PASSWORD)
        tried = try_out(reach)
        with database.writing() as session:
            account = Account(0, "Office", USER, ())
            both.account_id = connect(session, account, reach, KEY, acting=acting, tried=tried)
        try:
            yield both
        finally:
            if both.device.state != "LOGOUT":
                both.device.logout()
    database.close()
