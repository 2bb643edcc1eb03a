"""An account on a stand-in whose rules are handed over, and what is seen of that on either side."""

import smtplib
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from mnemic.core import read_rule
from mnemic.jobs.server.pass_report import PassReport
from mnemic.jobs.server.passes import Passes
from mnemic.jobs.server.passing import IN_STEP
from mnemic.jobs.server.state_lines import line_of, troubles_of
from mnemic.post.access import Access, Secret
from mnemic.post.managesieve import Listed, managing_scripts
from mnemic.store.engine.sql import fetch
from mnemic.store.journal.trail import TrailEntry, trail_of
from mnemic.store.line.rules import add_rule
from mnemic.store.server.connections import connection_of
from mnemic.store.server.server_scripts import ScriptPlace, ServerScript, server_script
from tests.jobs.server.both_sides import KEY, BothSides, both_sides
from tests.stand_in.standing_in import PASSWORD, USER

#: What a rule on permits does.
PERMITS = ({"do": "file", "folder": "Permits"}, {"do": "label", "label": "Permit"}, {"do": "read"})


@dataclass
class Handed:
    """An account on a stand-in, and what is done about where its rules run."""

    both: BothSides
    passes: Passes
    place: ScriptPlace
    sent: int = 0

    @property
    def access(self) -> Access:
        """The way to the scripts there, as another device has it."""
        port = self.both.stand_in.ports["sieve"]
        return Access("127.0.0.1", port, "none", USER, Secret("password", PASSWORD))

    def hand_over(self, place: ScriptPlace | None = None) -> None:
        self.passes.hand_over(self.both.account_id, place or self.place)

    def bring_back(self) -> None:
        self.passes.bring_back(self.both.account_id)

    def passing(self) -> PassReport:
        """A pass, after which the script there is looked at, too."""
        self.passes.upkeep.looked.clear()
        reached, report = self.passes.over(self.both.account_id)
        assert reached == IN_STEP, reached
        return report

    def deliver(self, subject: str, text: str = "hello", *, sender: str = "ann") -> str:
        """A letter comes to the server by SMTP; its Message-ID."""
        self.sent += 1
        called = f"<sent-{self.sent}@b.example>"
        head = f"From: <{sender}@b.example>\r\nTo: {USER}\r\nSubject: {subject}\r\n"
        octets = f"{head}Message-ID: {called}\r\n\r\n{text}\r\n".encode()
        with smtplib.SMTP("127.0.0.1", self.both.stand_in.ports["smtp"], timeout=60) as post:
            post.sendmail("ann@b.example", [USER], octets, ["SMTPUTF8", "BODY=8BITMIME"])
        return called

    def script(self) -> ServerScript:
        with self.both.database.reading() as session:
            script = server_script(session, self.both.account_id)
        assert script is not None
        return script

    def line(self) -> str:
        """How the account is, in one line."""
        with self.both.database.reading() as session:
            connection = connection_of(session, self.both.account_id)
            assert connection is not None
            return line_of(connection, troubles_of(session))

    def there(self) -> Listed:
        with managing_scripts(self.access) as server:
            return server.scripts()

    def trail(self, called: str) -> list[TrailEntry]:
        with self.both.database.reading() as session:
            entries = trail_of(session, range(1, 200))
        ids = self.ids(called)
        return [entry for key in ids for entry in entries.get(key, [])]

    def ids(self, called: str) -> list[int]:
        asked = "SELECT id FROM message WHERE message_id = :called"
        with self.both.database.reading() as session:
            return [key for (key,) in fetch(session, asked, called=called)]


def rule(both: BothSides, name: str, when: dict[str, Any], *then: dict[str, Any]) -> None:
    """A rule on any condition."""
    with both.database.writing() as session:
        add_rule(session, read_rule({"name": name, "when": when, "then": list(then)}))


@contextmanager
def handing(tmp_path: Path, *options: str, acting: bool = True) -> Iterator[Handed]:
    with both_sides(tmp_path, *options, acting=acting) as both:
        passes = Passes(both.database, lambda: KEY, tmp_path / "locks", 2**26)
        yield Handed(both, passes, ScriptPlace("127.0.0.1", both.stand_in.ports["sieve"], "none"))
