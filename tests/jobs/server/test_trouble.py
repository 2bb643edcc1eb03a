"""What goes wrong on the way: cut connections, killed passes, refused passwords, odd servers."""

import os
import random
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest

from mnemic.core.actions import FileAction, LabelAction, PlaceAction
from mnemic.jobs.server.connecting import try_out
from mnemic.jobs.server.passing import IN_STEP, pass_over
from mnemic.post.imap import ServerError
from mnemic.store.engine.backup import check_database
from mnemic.store.server.connections import Reach, keep_secret
from tests.jobs.server.both_sides import KEY, BothSides, both_sides
from tests.jobs.server.cutting_proxy import cutting_proxy
from tests.stand_in.standing_in import PASSWORD, USER


def through(both: BothSides, port: int) -> None:
    """Let passes go through another port."""
    both.change(
        lambda session: session.connection().exec_driver_sql(
            "UPDATE connection SET port = ?", (port,)
        )
    )


def some_work(both: BothSides, chance: random.Random) -> None:
    """Mail that comes in and is sorted, a move and a deletion elsewhere, moves and labels here."""
    for subject in ("permit", "lock", "minutes"):
        both.send(subject=subject)
    visible = sorted({called for _, called, *_ in both.here() if called})
    for called in chance.sample(visible, min(3, len(visible))):
        both.do(called, FileAction(do="file", folder=chance.choice(("Past", "Inbox", "Kept/Deep"))))
        both.do(called, LabelAction(do="label", label="Lock works"))
    lying = [called for called, _ in both.there("INBOX").values()]
    if lying:
        both.move_elsewhere("INBOX", chance.choice(lying), "Archive")
    archived = [called for called, _ in both.there("Archive").values()]
    if len(archived) > 2:
        both.delete_elsewhere("Archive", archived[0])
        if not both.where_there(archived[0]):
            both.ever.discard(archived[0])


@contextmanager
def working(tmp_path: Path, *options: str) -> Iterator[BothSides]:
    with both_sides(tmp_path, *options) as both:
        both.rule("permit", {"do": "file", "folder": "Moorings/Permits"}, {"do": "flag"})
        both.rule(
            "lock", {"do": "label", "label": "Lock works"}, {"do": "copy", "folder": "Copies"}
        )
        yield both


def in_step_again(both: BothSides) -> None:
    """Afterwards: the same on both sides, none lost, none doubled, journal and mailbox agree."""
    both.sync()
    both.compare()
    there = both.there_all()
    assert both.ever <= {called for _, called, *_ in there}
    spots = [(folder, called) for folder, called, *_ in there]
    assert len(spots) == len(set(spots))
    assert list(check_database(both.path)) == []


@pytest.mark.parametrize(
    "options", [(), ("--without", "MOVE"), ("--without", "MOVE", "--without", "UIDPLUS")]
)
def test_a_connection_that_is_cut_anywhere_loses_and_doubles_nothing(
    tmp_path: Path, options: tuple[str, ...]
) -> None:
    chance = random.Random(len(options))  # noqa: S311 -- nothing secret
    with working(tmp_path, *options) as both:
        for _ in range(17):
            some_work(both, chance)
            with cutting_proxy(both.stand_in.ports["imap"], chance.randint(1, 9_000)) as port:
                through(both, port)
                pass_over(both.database, both.account_id, KEY, largest=2**26)
            through(both, both.stand_in.ports["imap"])
            in_step_again(both)


KILLED = """
import sys
from pathlib import Path
from mnemic.jobs.server.passing import pass_over
from mnemic.store import Database
from tests.jobs.server.both_sides import KEY
database = Database(Path(sys.argv[1]))
print("ready", flush=True)
pass_over(database, int(sys.argv[2]), KEY, largest=2**26)
"""


def test_a_pass_that_is_killed_loses_and_doubles_nothing(tmp_path: Path) -> None:
    chance = random.Random(5)  # noqa: S311 -- nothing secret
    with working(tmp_path) as both:
        for _ in range(10):
            some_work(both, chance)
            command = [sys.executable, "-c", KILLED, str(both.path), str(both.account_id)]
            with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as process:
                assert process.stdout is not None
                assert process.stdout.readline() == "ready\n"
                time.sleep(chance.uniform(0, 0.25))
                os.kill(process.pid, signal.SIGKILL)
            in_step_again(both)


def test_a_refused_password_is_not_tried_again_before_somebody_looks(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        both.change(lambda session: keep_secret(session, both.account_id, "password", "x", KEY))
        state, _ = pass_over(both.database, both.account_id, KEY, largest=2**26)
        assert "refused the user name or the password" in state
        assert "x" not in state.split()
        through(both, 1)  # if it were tried, nothing would answer
        assert pass_over(both.database, both.account_id, KEY, largest=2**26)[0] == state
        through(both, both.stand_in.ports["imap"])
        both.change(
            lambda session: keep_secret(session, both.account_id, "password", PASSWORD, KEY)
        )
        both.sync()


@pytest.mark.parametrize(
    ("changed", "field", "words"),
    [
        ({"port": 1}, "imap", "nothing answers"),
        ({"host": "no.such.host.invalid"}, "imap", "there is no server"),
        ({"secret": "wrong"}, "password", "refused"),
        ({"security": "tls"}, "security", "does not speak TLS"),
        ({"security": "starttls"}, "imap", "STARTTLS"),
        ({"secret_kind": "password-command", "secret": "exit 3"}, "password", "failed"),
        ({"secret_kind": "password-command", "secret": "true"}, "password", "printed nothing"),
    ],
)
def test_each_failure_has_its_sentence_at_its_field(
    tmp_path: Path, changed: dict[str, object], field: str, words: str
) -> None:
    with both_sides(tmp_path) as both:
        given = {
            "host": "127.0.0.1",
            "port": both.stand_in.ports["imap"],
            "security": "none",
            "user": USER,
            "secret_kind": "password",
            "secret": PASSWORD,
        }
        with pytest.raises(ServerError, match=words) as caught:
            try_out(Reach(**{**given, **changed}))  # type: ignore[arg-type] # cases
        assert caught.value.field == field
        assert PASSWORD not in str(caught.value)


GREETING = b"* OK [CAPABILITY IMAP4rev1 AUTH=PLAIN SASL-IR] ready\r\n"

#: What a server may answer to the command that is named: none of it may hang, crash or be believed.
ODD = {
    "no greeting": (b"", {}),
    "not IMAP": (b"220 mail ready\r\n", {}),
    "bye at once": (b"* BYE go away\r\n", {}),
    "octets": (bytes(range(256)) + b"\r\n", {}),
    "endless greeting": (b"* OK " + b"x" * 2_000_000 + b"\r\n", {}),
    "no to capability": (GREETING, {"CAPABILITY": b"{tag} NO\r\n"}),
    "list of nothing": (GREETING, {"LIST": b"* LIST\r\n{tag} OK\r\n"}),
    "list of nil": (GREETING, {"LIST": b"* LIST NIL NIL NIL\r\n{tag} OK\r\n"}),
    "no inbox": (GREETING, {"LIST": b"{tag} OK\r\n"}),
    "name that is no UTF-7": (GREETING, {"LIST": b'* LIST () "/" "&&&"\r\n{tag} OK\r\n'}),
    "select bye": (GREETING, {"EXAMINE": b"* BYE\r\n"}),
    "select without validity": (GREETING, {"EXAMINE": b"* 1 EXISTS\r\n{tag} OK\r\n"}),
    "four milliards": (
        GREETING,
        {
            "EXAMINE": b"* 4000000000 EXISTS\r\n* OK [UIDVALIDITY 1]\r\n* OK [UIDNEXT 9]\r\n{tag} OK\r\n"
        },
    ),
    "negative validity": (
        GREETING,
        {"EXAMINE": b"* 1 EXISTS\r\n* OK [UIDVALIDITY -1]\r\n* OK [UIDNEXT 9]\r\n{tag} OK\r\n"},
    ),
    "words for numbers": (
        GREETING,
        {"EXAMINE": b"* many EXISTS\r\n* OK [UIDVALIDITY x]\r\n* OK [UIDNEXT y]\r\n{tag} OK\r\n"},
    ),
    "fetch nil": (GREETING, {"FETCH": b"* 1 FETCH NIL\r\n{tag} OK\r\n"}),
    "fetch half": (GREETING, {"FETCH": b"* 1 FETCH (UID\r\n{tag} OK\r\n"}),
    "fetch no flags": (GREETING, {"FETCH": b"* 1 FETCH (UID 1)\r\n{tag} OK\r\n"}),
    "fetch uid 0": (GREETING, {"FETCH": b"* 1 FETCH (UID 99999999999 FLAGS ())\r\n{tag} OK\r\n"}),
    "fetch twice": (
        GREETING,
        {"FETCH": b"* 1 FETCH (UID 1 FLAGS ())\r\n* 2 FETCH (UID 1 FLAGS ())\r\n{tag} OK\r\n"},
    ),
    "fetch no": (GREETING, {"FETCH": b"{tag} NO not now\r\n"}),
    "fetch bad": (GREETING, {"FETCH": b"{tag} BAD what\r\n"}),
    "fetch nothing": (GREETING, {"FETCH": b"{tag} OK\r\n"}),
    "fetch wrong literal": (
        GREETING,
        {"FETCH": b"* 1 FETCH (UID 1 BODY[] {5}\r\nabc)\r\n{tag} OK\r\n"},
    ),
    "fetch endless remarks": (GREETING, {"FETCH": b"* OK still here\r\n" * 50_000}),
    "fetch the same for ever": (GREETING, {"FETCH": b"* 1 FETCH (UID 1 FLAGS ())\r\n" * 50_000}),
    "fetch three milliards": (GREETING, {"FETCH": b"* 1 FETCH (UID 1 BODY[] {3000000000}\r\nabc"}),
    "fetch closed": (GREETING, {"FETCH": b""}),
    "other tag": (GREETING, {"FETCH": b"zzz OK\r\n"}),
    "flags that are numbers": (GREETING, {"FETCH": b"* 1 FETCH (UID 1 FLAGS 7)\r\n{tag} OK\r\n"}),
    "login bye": (GREETING, {"AUTHENTICATE": b"* BYE\r\n"}),
    "login unavailable": (GREETING, {"AUTHENTICATE": b"{tag} NO [UNAVAILABLE] later\r\n"}),
    "login bare no": (GREETING, {"AUTHENTICATE": b"{tag} NO\r\n"}),
    "namespace nonsense": (
        GREETING.replace(b"SASL-IR", b"SASL-IR NAMESPACE"),
        {"NAMESPACE": b"* NAMESPACE 1 2 3\r\n{tag} OK\r\n"},
    ),
}

USUAL = {
    "CAPABILITY": b"* CAPABILITY IMAP4rev1 AUTH=PLAIN SASL-IR\r\n{tag} OK\r\n",
    "AUTHENTICATE": b"{tag} OK\r\n",
    "LIST": b'* LIST () "/" INBOX\r\n{tag} OK\r\n',
    "EXAMINE": b"* 1 EXISTS\r\n* OK [UIDVALIDITY 1]\r\n* OK [UIDNEXT 2]\r\n{tag} OK [READ-ONLY]\r\n",
    "SEARCH": b"* SEARCH 1\r\n{tag} OK\r\n",
    "LOGOUT": b"* BYE\r\n{tag} OK\r\n",
}


@contextmanager
def odd_server(greeting: bytes, answers: dict[str, bytes]) -> Iterator[int]:
    """A server that gives these answers; what it has none for it takes with OK."""
    listening = socket.create_server(("127.0.0.1", 0))
    listening.settimeout(0.1)
    stopping = threading.Event()

    def talk(client: socket.socket) -> None:
        client.sendall(greeting)
        if not greeting:
            return
        with client.makefile("rb") as lines:
            for line in lines:
                tag, *words = line.split()
                name = next((w.decode() for w in words[:2] if w.upper() != b"UID"), "").upper()
                answer = {**USUAL, **answers}.get(name, b"{tag} OK\r\n")
                if not answer:
                    return
                client.sendall(answer.replace(b"{tag}", tag))

    def accept() -> None:
        while not stopping.is_set():
            try:
                client, _ = listening.accept()
            except TimeoutError:
                continue
            client.settimeout(5)
            try:
                with client:
                    talk(client)
            except (OSError, ValueError):
                pass

    thread = threading.Thread(target=accept)
    thread.start()
    try:
        yield listening.getsockname()[1]
    finally:
        stopping.set()
        thread.join()
        listening.close()


@pytest.fixture(scope="module")
def mirrored(tmp_path_factory: pytest.TempPathFactory) -> Iterator[BothSides]:
    with both_sides(tmp_path_factory.mktemp("odd"), acting=False) as both:
        both.send()
        both.sync()
        yield both


@pytest.mark.parametrize("case", ODD)
def test_answers_that_make_no_sense_are_told_and_nothing_is_taken_for_gone(
    mirrored: BothSides, case: str
) -> None:
    before = mirrored.here()
    with odd_server(*ODD[case]) as port:
        through(mirrored, port)
        begun = time.monotonic()
        state, report = pass_over(mirrored.database, mirrored.account_id, KEY, largest=2**26)
        assert time.monotonic() - begun < 60
    assert state != IN_STEP
    assert len(state) < 400
    assert (report.gone, mirrored.here()) == (set(), before)
    through(mirrored, mirrored.stand_in.ports["imap"])
    mirrored.change(
        lambda session: session.connection().exec_driver_sql("UPDATE connection SET refused = 0")
    )
    assert mirrored.sync().gone == set()
    assert mirrored.here() == before


def test_what_is_archived_while_the_server_is_away_is_told_later(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        called = both.send()
        both.sync()
        both.do(called, PlaceAction(do="archive"))
        through(both, 1)
        state, _ = pass_over(both.database, both.account_id, KEY, largest=2**26)
        assert "nothing answers" in state
        through(both, both.stand_in.ports["imap"])
        both.sync()
        assert both.where_there(called) == ["Archive"]
