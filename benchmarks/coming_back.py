"""B18 and B19: Insights of 100,000 messages, and proposals from 5,000 acts by hand.

Both are asked of a mailbox whose journal has many thousands of runs. What is wanted in milliseconds
is for a quiet machine: each figure is divided by how much slower this one is in the same run.
"""

import random
import statistics
import sys
import time
from collections.abc import Callable, Iterator
from datetime import datetime
from pathlib import Path

from sqlmodel import Session

from benchmarks.at_work import DAYS, NOW
from benchmarks.measuring import Result, slowness
from mnemic.core.actions import Action, FileAction, LabelAction, MarkAction, PlaceAction
from mnemic.jobs.insights.flow import flow_of
from mnemic.jobs.insights.interruptions import interruptions_in
from mnemic.jobs.insights.period import MailOfPeriod, Period
from mnemic.jobs.insights.proposals import proposals_for_owner
from mnemic.jobs.people.acts import act
from mnemic.store import Database
from mnemic.store.engine.sql import fetch
from mnemic.store.mail.inbox_past import inbox_at
from mnemic.store.owner.preferences import read_preferences
from mnemic.store.search.selection import Selection

__all__ = ["coming_back"]

#: Acts by hand: so many kinds of them, each with so many messages, one by one.
_KINDS, _EACH = 32, 160

_DAY = 86_400
_ROUNDS = 5
_DAYS = DAYS.days  # all mail but what came in meanwhile

#: What the pictures count, asked of SQLite without anything around it.
_BARE = (
    "SELECT kind, list_id, folder_id, seen, count(*) FROM message WHERE received_at >= :since"
    " GROUP BY 1, 2, 3, 4",
    "SELECT a.canonical, m.folder_id, count(DISTINCT m.id) FROM message AS m"
    " JOIN message_address AS ma ON ma.message_id = m.id JOIN address AS a ON a.id = ma.address_id"
    " WHERE m.received_at >= :since AND ma.header <> 'from'"
    " AND a.canonical IN (SELECT canonical FROM account UNION SELECT canonical FROM alias)"
    " GROUP BY 1, 2",
    "SELECT rule_id, count(DISTINCT message_id) FROM trail WHERE at >= :since GROUP BY 1",
    "SELECT strftime('%w %H', received_at, 'unixepoch'), count(*) FROM message"
    " WHERE received_at >= :since GROUP BY 1",
    "SELECT r.at / 86400, j.slot, count(*) FROM journal AS j JOIN run AS r ON r.id = j.run_id"
    " WHERE r.at >= :since AND j.entity = 'message' GROUP BY 1, 2",
)


def _actions() -> list[Action]:
    places: list[Action] = [FileAction(do="file", folder=f"By hand {n}") for n in range(20)]
    labels: list[Action] = [LabelAction(do="label", label=f"By hand {n}") for n in range(8)]
    others: list[Action] = [
        MarkAction(do="flag"),
        MarkAction(do="read"),
        PlaceAction(do="trash"),
        PlaceAction(do="archive"),
    ]
    return [*places, *labels, *others][:_KINDS]


def _do_by_hand(session: Session, now: int) -> None:
    """The newest mail of each of the senders with the most mail: one kind of act a sender."""
    senders = fetch(
        session,
        "SELECT sender_address FROM message GROUP BY 1 ORDER BY count(*) DESC LIMIT :most",
        most=_KINDS,
    )
    rng = random.Random(19)
    for (sender,), action in zip(senders, _actions(), strict=True):
        ids = fetch(
            session,
            "SELECT id, received_at FROM message WHERE sender_address = :sender"
            " ORDER BY id DESC LIMIT :each",
            sender=sender,
            each=_EACH,
        )
        for message_id, received in ids:
            at = max(received, now - rng.randrange(60) * _DAY)
            act(session, Selection(ids=(message_id,)), action, at=at)


def _seconds(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def _pictures(session: Session, now: datetime) -> None:
    mail = MailOfPeriod(session, Period(_DAYS), now)
    flow_of(session, mail)
    interruptions_in(session, mail)
    inbox_at(session, read_preferences(session).midnights(int(now.timestamp()), _DAYS))


def coming_back(path: Path) -> Iterator[Result]:
    """B18 and B19, over the mailbox in a database file."""
    now = NOW
    database = Database(path)
    with database.writing() as session:
        _do_by_hand(session, int(now.timestamp()))
    slow = [slowness()]
    with database.reading() as session:
        cold = _seconds(lambda: proposals_for_owner(session, now=now))
    pictures, bare, since = [], [], int(now.timestamp()) - _DAYS * _DAY
    for _ in range(_ROUNDS + 1):
        with database.reading() as session:
            pictures.append(_seconds(lambda: _pictures(session, now)))
            bare.append(
                _seconds(lambda: [fetch(session, statement, since=since) for statement in _BARE])
            )
    slow.append(slowness())
    database.close()
    slower = statistics.mean(slow)
    warm, plain = statistics.median(pictures[1:]), statistics.median(bare[1:])
    ratio = max(0.0, warm - 0.03 * slower) / plain
    yield Result("B18", f"Insights of {_DAYS} days: (ours - 30 ms) / bare SQL", ratio, 1.5)
    what = f"Insights of {_DAYS} days, warm, in ms (here {warm * 1000:.0f})"
    yield Result("B18", what, warm / slower * 1000, 300)
    what = f"proposals from {_KINDS * _EACH:,} acts, cold, in ms (here {cold * 1000:.0f})"
    yield Result("B19", what, cold / slower * 1000, 1_000)


if __name__ == "__main__":
    for result in coming_back(Path(sys.argv[1])):
        print(result.row())
