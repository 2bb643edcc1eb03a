"""Forwards and answers by an account's submission server: real SMTP, and what it may answer."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlmodel import Session

from mnemic.jobs.people.message_history import steps_of
from mnemic.jobs.server.passing import IN_STEP, pass_over
from mnemic.jobs.server.sending_letters import next_try
from mnemic.store.engine.sql import fetch
from mnemic.store.mail.outbox import letter_troubles, wait_again
from mnemic.store.server.connections import set_acting, set_submission, submission_refused
from tests.jobs.server.both_sides import KEY, BothSides, both_sides
from tests.jobs.server.taking_letters import Taker, taking
from tests.stand_in.standing_in import PASSWORD, USER

#: The taker is on this computer alone.
pytestmark = pytest.mark.filterwarnings("ignore:Requiring AUTH while not requiring TLS")

FORWARD = {"do": "forward", "to": ["bram@y.example"]}
ANSWER = {"do": "reply", "text": "Back on Monday"}


@contextmanager
def office(tmp_path: Path, taker: Taker, *then: dict[str, Any]) -> Iterator[BothSides]:
    """An account that sends by the taker, and a rule on permits."""
    with both_sides(tmp_path) as both, taking(taker) as port:
        both.change(
            lambda session: set_submission(
                session, both.account_id, ("127.0.0.1", port, "none"), on=True
            )
        )
        both.rule("permit", *then)
        yield both


def at(both: BothSides, later: timedelta = timedelta()) -> str:
    """The state after a pass that is made so much later."""
    now = datetime.now(UTC) + later
    return pass_over(both.database, both.account_id, KEY, largest=2**26, now=now)[0]


def letters(both: BothSides) -> list[tuple[str, str]]:
    with both.database.reading() as session:
        return [(kind, state) for kind, state in fetch(session, "SELECT kind, state FROM posted")]


def test_a_forward_and_an_answer_leave_once_each(tmp_path: Path) -> None:
    taker = Taker()
    with office(tmp_path, taker, FORWARD, ANSWER) as both:
        called = both.send(subject="permit")
        both.sync()
        both.sync()
        (forward, answer) = taker.taken
        assert forward[:2] == (USER, ["bram@y.example"])
        assert forward[2].startswith(f"X-Mnemic-Forwarded-For: {USER}\r\nResent-From:".encode())
        assert forward[2].endswith(f"Message-ID: {called}\r\n\r\nbody 1\r\n".encode())
        assert answer[:2] == ("", ["a@x.example"])  # no return path: it is answered by nobody
        assert b"\r\nAuto-Submitted: auto-replied\r\n" in answer[2]
        assert f"\r\nIn-Reply-To: {called}\r\n".encode() in answer[2]
        assert letters(both) == [("forward", "sent"), ("reply", "sent")]
        with both.database.reading() as session:
            sayings = [step.saying for step in steps_of(session, 1)]
        assert "The forward to bram@y.example was sent" in sayings
        assert "The answer to a@x.example was sent" in sayings


FIRST_SAYS: list[tuple[dict[str, str], str, str]] = [
    ({"RCPT": "550 5.1.1 no such person"}, "failed", "could not be sent: 550 5.1.1 no such person"),
    ({"RCPT": "450 4.2.0 come again"}, "waiting", "1 letter waits: 450 4.2.0 come again"),
    ({"DATA": "554 5.7.1 not that"}, "failed", "could not be sent: 554 5.7.1 not that"),
    ({"DATA": "452 4.3.1 full"}, "waiting", "1 letter waits: 452 4.3.1 full"),
    ({"MAIL": "421 4.3.2 closing"}, "waiting", "broke off: 4.3.2 closing"),
    ({"MAIL": "550 5.7.1 not you"}, "failed", "550 5.7.1 not you"),
]


@pytest.mark.parametrize(("says", "state", "saying"), FIRST_SAYS)
def test_not_now_is_tried_again_and_never_is_told(
    tmp_path: Path, says: dict[str, str], state: str, saying: str
) -> None:
    taker = Taker(says)
    with office(tmp_path, taker, FORWARD) as both:
        both.send(subject="permit")
        assert saying in at(both)
        assert letters(both) == [("forward", state)]
        with both.database.reading() as session:
            assert saying.rpartition(": ")[2] in letter_troubles(session)[both.account_id].saying
        taker.says = {}
        assert at(both) == IN_STEP  # it is not due yet, or will never be
        assert taker.taken == []
        assert at(both, timedelta(seconds=70)) == IN_STEP
        assert letters(both) == [("forward", "sent" if state == "waiting" else "failed")]
        both.change(lambda session: wait_again(session, 1, 0))  # its owner wants it tried again
        at(both, timedelta(seconds=80))
        assert [letter[1] for letter in taker.taken] == [["bram@y.example"]]


def test_one_that_is_refused_holds_up_no_other(tmp_path: Path) -> None:
    taker = Taker({"RCPT <bram@y.example>": "550 no", "RCPT <cleo@y.example>": "451 later"})
    to = ["bram@y.example", "cleo@y.example", "dora@y.example", "jürgen@straße.example"]
    with office(tmp_path, taker, {"do": "forward", "to": to}) as both:
        both.send(subject="permit")
        at(both)
        assert [state for _, state in letters(both)] == ["failed", "waiting", "sent", "sent"]
        assert [letter[1] for letter in taker.taken] == [
            ["dora@y.example"],
            ["jürgen@xn--strae-oqa.example"],  # RFC 6531: the local part as it is
        ]


def test_a_server_without_null_return_path_or_other_scripts(tmp_path: Path) -> None:
    taker = Taker({"MAIL <>": "550 a sender, please", "SMTPUTF8": "no"})
    forward = {"do": "forward", "to": ["jürgen@y.example", "ann@straße.example"]}
    with office(tmp_path, taker, forward, ANSWER) as both:
        both.send(subject="permit")
        assert "no address with other letters" in at(both)
        assert [letter[:2] for letter in taker.taken] == [
            (USER, ["ann@xn--strae-oqa.example"]),
            (USER, ["a@x.example"]),
        ]


def test_a_refused_password_is_not_tried_again_unasked(tmp_path: Path) -> None:
    taker = Taker(password="another")  # noqa: S106 -- made up
    with office(tmp_path, taker, FORWARD) as both:
        both.send(subject="permit")
        assert "refused the user name or the password" in at(both)
        for hours in (1, 5):
            at(both, timedelta(hours=hours))
        assert taker.logins == 1
        taker.password = PASSWORD
        both.change(lambda session: submission_refused(session, both.account_id, refused=False))
        at(both, timedelta(hours=6))
        assert letters(both) == [("forward", "sent")]


def away(both: BothSides, port: int) -> Callable[[Session], None]:
    where = ("127.0.0.1", port, "none")
    return lambda session: set_submission(session, both.account_id, where, on=True)


def test_a_server_that_is_away_for_two_days_is_given_up(tmp_path: Path) -> None:
    taker = Taker()
    with office(tmp_path, taker, FORWARD) as both:
        with taking(Taker()) as port:
            pass  # nobody is there any more
        both.change(away(both, port))
        both.send(subject="permit")
        assert "nothing answers" in at(both)
        for hours in range(1, 48):
            at(both, timedelta(hours=hours))
        with both.database.reading() as session:
            ((state, tries),) = fetch(session, "SELECT state, tries FROM posted")
            assert state == "waiting"
            assert 10 < tries < 25
        at(both, timedelta(hours=49))
        assert letters(both) == [("forward", "failed")]
        with both.database.reading() as session:
            assert "given up after two days" in letter_troubles(session)[both.account_id].saying


@given(st.integers(0, 40), st.integers(0, 3 * 86_400))
def test_pauses_grow_and_end_with_two_days(tries: int, waited: int) -> None:
    due = next_try(1_000, tries, 1_000 + waited)
    if waited >= 2 * 86_400:
        assert due is None
        return
    assert due is not None
    pause = due - 1_000 - waited
    assert 0 < pause <= 4 * 3600
    assert due <= 1_000 + 2 * 86_400
    longer = next_try(1_000, tries + 1, 1_000 + waited)
    assert longer is not None
    assert longer >= due


def test_watching_or_switched_off_nothing_leaves(tmp_path: Path) -> None:
    taker = Taker()
    with office(tmp_path, taker, FORWARD) as both:
        both.change(away(both, 9))  # it waits, since nobody listens there
        both.send(subject="permit")
        at(both)
        both.change(lambda session: set_acting(session, both.account_id, False))
        at(both, timedelta(hours=1))
        with both.database.reading() as session:
            assert fetch(session, "SELECT state, tries FROM posted") == [("waiting", 1)]
        both.change(
            lambda session: set_submission(
                session, both.account_id, ("127.0.0.1", 9, "none"), on=False
            )
        )
        both.change(lambda session: set_acting(session, both.account_id, True))
        both.send(subject="permit")
        assert at(both, timedelta(hours=2)) == IN_STEP
        assert letters(both) == [("forward", "kept"), ("forward", "kept")]
        assert taker.taken == []
