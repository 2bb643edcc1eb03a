"""Another device at work while passes are made, the server restarted, the disk here full."""

import random
import re
import resource
import subprocess
import sys
import threading
from collections.abc import Callable
from pathlib import Path

import pytest

from mnemic.core.actions import FileAction, LabelAction
from mnemic.jobs.server.passing import IN_STEP, pass_over
from mnemic.store.engine.backup import check_database
from tests.jobs.server.both_sides import KEY, LETTER, BothSides, both_sides
from tests.stand_in.standing_in import USER, StandIn, standing_in

ROUNDS = 60


def quoted(folder: str) -> str:
    return f'"{folder}"'


class Device:
    """The standard library's client, which does something at random, on a connection of its own."""

    def __init__(self, stand_in: StandIn, chance: random.Random) -> None:
        self._client, self._chance, self._sent = stand_in.device(), chance, 0
        self.deleted: set[str] = set()

    def act(self) -> None:
        self._chance.choice((self._append, self._append, self._move, self._flag, self._delete))()

    def _append(self) -> None:
        self._sent += 1
        number = 1_000 + self._sent
        subject = self._chance.choice((b"permit", b"minutes"))
        octets = LETTER % (USER.encode(), subject, number, number)
        assert self._client.append("INBOX", "", "", octets)[0] == "OK"

    def _one(self) -> str | None:
        folder = self._chance.choice(("INBOX", "Archive", "Permits", "Past"))
        if self._client.select(quoted(folder))[0] != "OK":
            return None
        uids = self._client.uid("SEARCH", "ALL")[1][0].split()
        return str(self._chance.choice(uids).decode()) if uids else None

    def _move(self) -> None:
        if (uid := self._one()) is not None:
            self._client.uid("MOVE", uid, self._chance.choice(("INBOX", "Archive")))

    def _flag(self) -> None:
        if (uid := self._one()) is not None:
            sign = self._chance.choice("+-")
            self._client.uid("STORE", uid, f"{sign}FLAGS", "(\\Seen \\Flagged Due)")

    def _delete(self) -> None:
        if (uid := self._one()) is None:
            return
        header = self._client.uid("FETCH", uid, "(BODY.PEEK[HEADER.FIELDS (MESSAGE-ID)])")[1]
        called = re.search(
            rb"<[^>]*>", b"".join(b"".join(e) for e in header if isinstance(e, tuple))
        )
        self._client.uid("STORE", uid, "+FLAGS", "(\\Deleted)")
        self._client.uid("EXPUNGE", uid)
        if called:
            self.deleted.add(called[0].decode())

    def end(self) -> None:
        self._client.logout()


def in_step_again(both: BothSides, *, may_be_gone: set[str] = frozenset()) -> None:  # type: ignore[assignment]
    both.sync()
    both.sync()
    both.compare()
    there = [(folder, called) for folder, called, *_ in both.there_all()]
    assert both.ever - may_be_gone <= {called for _, called in there}
    assert len(there) == len(set(there))
    assert list(check_database(both.path)) == []


@pytest.mark.parametrize(
    ("seed", "options"), [(1, ()), (2, ("--without", "CONDSTORE", "--without", "QRESYNC"))]
)
def test_another_device_is_at_work_meanwhile(
    tmp_path: Path, seed: int, options: tuple[str, ...]
) -> None:
    chance = random.Random(seed)  # noqa: S311 -- no secret
    with both_sides(tmp_path, *options) as both:
        both.rule("permit", {"do": "file", "folder": "Permits"})
        for _ in range(10):
            both.send(subject="permit")
        both.sync()
        other = random.Random(seed + 100)  # noqa: S311 -- no secret
        device, failures = Device(both.stand_in, other), []

        def work() -> None:
            try:
                for _ in range(ROUNDS):
                    device.act()
            except Exception as error:
                failures.append(error)

        thread = threading.Thread(target=work)
        thread.start()
        while thread.is_alive():
            visible = sorted({called for _, called, *_ in both.here() if called})
            for called in chance.sample(visible, min(2, len(visible))):
                both.do(called, FileAction(do="file", folder=chance.choice(("Past", "Inbox"))))
                both.do(called, LabelAction(do="label", label="Due"))
            pass_over(both.database, both.account_id, KEY, largest=2**26)
        assert failures == []
        device.end()
        in_step_again(both, may_be_gone=device.deleted)


def test_the_server_is_restarted_between_any_two_passes(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        both.rule("permit", {"do": "file", "folder": "Permits"})
        first = both.send(subject="permit")
        both.sync()
        both.device.logout()
        both.stand_in.process.terminate()
        both.stand_in.process.wait()
        both.do(first, FileAction(do="file", folder="Past"))
        state, _ = pass_over(both.database, both.account_id, KEY, largest=2**26)
        assert "nothing answers" in state
        with standing_in(tmp_path / "stand-in", port=both.stand_in.ports["imap"]) as again:
            both.device = again.device()
            assert again.ports["imap"] == both.stand_in.ports["imap"]
            in_step_again(both)
            assert both.where_there(first) == ["Past"]
            both.device.logout()


def _no_file_beyond(octets: int) -> Callable[[], None]:
    return lambda: resource.setrlimit(resource.RLIMIT_FSIZE, (octets, octets))


STEP = """
import sys
from pathlib import Path
from mnemic.jobs.server.passing import pass_over
from mnemic.store import Database
from tests.jobs.server.both_sides import KEY
print(pass_over(Database(Path(sys.argv[1])), int(sys.argv[2]), KEY, largest=2**26)[0])
"""


def test_a_full_disk_here_loses_and_doubles_nothing(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        both.rule("permit", {"do": "file", "folder": "Permits"})
        for _ in range(40):
            both.send(subject="permit")
        largest = max(path.stat().st_size for path in both.path.parent.glob("mnemic.sqlite3*"))
        states = []
        for more in (0, 8_192, 65_536, 131_072):
            done = subprocess.run(
                [sys.executable, "-c", STEP, str(both.path), str(both.account_id)],
                preexec_fn=_no_file_beyond(largest + more),
                capture_output=True,
                text=True,
                timeout=120,
                check=False,
                cwd=Path(__file__).parents[3],
            )
            states.append(done.stdout.strip() or done.stderr.strip().splitlines()[-1])
        assert states[0] != IN_STEP
        assert "full" in states[0] or "disk" in states[0] or "I/O" in states[0], states
        in_step_again(both)
        assert len(both.here()) == 40
