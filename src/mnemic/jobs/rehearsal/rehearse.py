"""Rehearsal: what a rule would do with mail already here, before anything happens.

The store narrows to the messages for which each condition holds, as arrays over ids; how they
combine is counted on those arrays, and the core says of the messages that are shown why it takes
them. It goes from the newest ids down, so that it can stop when its time is up.
"""

import time
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import datetime

import numpy as np
from sqlmodel import Session

from mnemic.core import Rule
from mnemic.core.analysis.risks import risks_of
from mnemic.core.rules import AllGroup, AnyGroup, AnyTest, NotGroup
from mnemic.jobs.catch_up.counts import CatchUpCounts
from mnemic.jobs.rehearsal.examples import comes_first
from mnemic.jobs.rehearsal.tried_mail import (
    NearlyTaken,
    RehearsedMessage,
    ShownMail,
    Trying,
)
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.jobs.shared.large_moves import LargeMove, question_about
from mnemic.jobs.shared.misses import Misses, of_accounts, taken_by_rule
from mnemic.store.conditions_sql.ids import Ids
from mnemic.store.line.rules import StoredRule
from mnemic.store.mail.earlier_senders import mail_from_people_written_to
from mnemic.store.mail.folders import folders_with_role
from mnemic.store.search.masks import IdRange, Mask, Masks, how_many

__all__ = ["Earlier", "Rehearsal", "rehearse"]

#: Messages that are nearly taken are looked at a few at a time.
_NEARLY_SHOWN = 20

#: A share of the inbox beyond which a rule is more likely a mistake (common practice).
_MUCH = 0.3

#: Messages looked at first where time is short: what they take tells how many more to look at.
_FIRST_SPAN = 512

#: How much further it looks at most than the time before: mail is not spread evenly.
_GROWTH = 8

#: Messages looked at between two looks at who still waits for the answer. Each look-up in the
#: index costs the same for few messages as for many.
_SPAN = 131_072


@dataclass(frozen=True, slots=True)
class Earlier:
    """A rule above that gets there first, with how many messages, and whether it stops."""

    rule_id: int
    messages: int
    stops: bool


@dataclass(frozen=True, slots=True)
class Rehearsal:
    """What a rule would take of the mail already here.

    ``whole`` tells that all mail was looked at: else every count is "at least". ``counts`` is, by
    the path of each condition and bracket (``when.all[0]``), for how many messages it holds by
    itself. ``takes_otherwise`` is how many it would take with *any* in place of *all* in its
    outermost bracket, or the reverse; None where that makes no difference. ``spared`` is how many
    its exceptions keep out. ``settled`` is how many of those it takes are already as its actions
    would have them, ``respected`` how many others a person changed after the rule acted on them,
    which a catch-up leaves alone, ``catch_up`` how many it would change, and ``question`` what is
    asked before it; ``elsewhere`` is how many are in which other folder than the inbox, by id.
    ``nearly`` is how many miss it by exactly one condition. ``earlier`` are the rules above it that
    get there first. ``risks`` are said plainly.
    """

    examined: int
    whole: bool
    takes: int
    settled: int
    respected: int
    catch_up: int
    question: str | None
    spared: int
    takes_otherwise: int | None
    counts: dict[str, int]
    elsewhere: tuple[tuple[int, int], ...]
    first: tuple[RehearsedMessage, ...]
    nearly: int
    first_nearly: tuple[NearlyTaken, ...]
    earlier: tuple[Earlier, ...]
    risks: tuple[str, ...]


def _other_bracket(test: AnyTest) -> AnyTest | None:
    """The test with *any* in place of *all* or the reverse; None where that says the same."""
    if not isinstance(test, AllGroup | AnyGroup) or len(test.tests) < 2:
        return None
    if isinstance(test, AllGroup):
        return AnyGroup(any=test.tests)
    return AllGroup(all=test.tests)


def _paths(test: AnyTest, path: str) -> Iterator[tuple[str, AnyTest]]:
    yield path, test
    if isinstance(test, NotGroup):
        yield from _paths(test.not_, f"{path}.not")
    elif isinstance(test, AllGroup | AnyGroup):
        kind = "all" if isinstance(test, AllGroup) else "any"
        for at, inner in enumerate(test.tests):
            yield from _paths(inner, f"{path}.{kind}[{at}]")


@dataclass
class _Counts:
    """What has been counted so far."""

    takes: list[Ids] = field(default_factory=list)
    nearly: list[Ids] = field(default_factory=list)
    spared: int = 0
    otherwise: int = 0
    by_path: Counter[str] = field(default_factory=Counter)
    earlier: Counter[int] = field(default_factory=Counter)
    folders: Counter[int] = field(default_factory=Counter)


class _Counting:
    """Counts, range by range, what a rule takes."""

    def __init__(
        self,
        session: Session,
        rule: Rule,
        masks: Masks,
        *,
        above: Sequence[StoredRule],
        rule_id: int | None,
    ) -> None:
        self.rule, self._masks = rule, masks
        self.catch_up = CatchUpCounts(session, rule, masks, above=above, rule_id=rule_id)
        self._tests = list(_paths(rule.when, "when"))
        if rule.unless is not None:
            self._tests += _paths(rule.unless, "unless")
        self.other = _other_bracket(rule.when)
        self.above = [stored for stored in above if comes_first(stored.rule, rule)]
        self._session = session
        self.counts = _Counts()

    def add(self, id_range: IdRange) -> None:
        """Count the messages of a range of ids."""
        counts, rule = self.counts, self.rule
        misses = Misses.within(self._masks, id_range)
        there = of_accounts(self._session, self._masks, rule, id_range)
        for path, test in self._tests:
            counts.by_path[path] += how_many(misses.holds(test) & there)
        when = misses.within_days(rule) & there
        takes = misses.takes(rule) & there
        counts.spared += how_many(when & ~takes)
        if self.other is not None:
            turned = rule.model_copy(update={"when": self.other})
            counts.otherwise += how_many(misses.takes(turned) & there)
        counts.takes.append(np.flatnonzero(takes) + id_range.low + 1)
        counts.nearly.append(np.flatnonzero(misses.nearly(rule) & there) + id_range.low + 1)
        if not counts.takes[-1].size:
            return
        self.catch_up.add(misses, takes, id_range)
        numbers = np.bincount(self._masks.folder_of[counts.takes[-1]])
        counts.folders.update({int(key): int(numbers[key]) for key in np.flatnonzero(numbers)})
        self._count_earlier(misses, takes, id_range)

    def _count_earlier(self, misses: Misses, takes: Mask, id_range: IdRange) -> None:
        left = takes
        for stored in self.above:
            if not left.any():
                return
            first = left & taken_by_rule(self._session, self._masks, misses, stored.rule, id_range)
            self.counts.earlier[stored.id] += how_many(first)
            left = left & ~first


def _id_ranges(top: int, seconds: float | None) -> Iterator[IdRange]:
    """Look from the newest ids down, at as many as there is time for."""
    begun = last = time.perf_counter()
    high, size = top, _SPAN if seconds is None else _FIRST_SPAN
    while high > 0:
        low = max(0, high - size)
        yield IdRange(low, high)
        if seconds is not None:
            now = time.perf_counter()
            left = seconds - (now - begun)
            size = int((high - low) * min(_GROWTH, left / max(now - last, 1e-6)))
            last = now
            if size < _FIRST_SPAN and low > 0:
                return
        high = low


def rehearse(
    session: Session,
    rule: Rule,
    *,
    now: datetime,
    limit: int = 50,
    above: Sequence[StoredRule] = (),
    rule_id: int | None = None,
    seconds: float | None = None,
    check: Callable[[], None] = lambda: None,
) -> Rehearsal:
    """Try the rule on the mail here; the newest ``limit`` it takes are kept with evidence.

    ``above`` are the rules that mail passes before it, ``rule_id`` is its own, where it is saved.
    With ``seconds``, it looks at as many
    messages as it can in about that time. ``check`` is called now and then; what it raises ends
    the rehearsal.
    """
    around = MailboxCircumstances(session, now)
    masks = Masks(session, around.of(now), check)
    counting = _Counting(session, rule, masks, above=above, rule_id=rule_id)
    low = masks.top
    for id_range in _id_ranges(masks.top, seconds):
        check()
        counting.add(id_range)
        low = id_range.low
    shown = ShownMail(session, Trying(rule, around, now), counting.catch_up.why_it_stays)
    return _told(session, counting, masks, low, shown, limit)


def _told(
    session: Session, counting: _Counting, masks: Masks, low: int, shown: ShownMail, limit: int
) -> Rehearsal:
    """What was counted of the messages above an id, with the newest of them."""
    counts, nothing = counting.counts, np.empty(0, np.int64)
    takes = np.concatenate([nothing, *counts.takes])
    nearly = np.concatenate([nothing, *counts.nearly])
    first, first_nearly = shown.of(
        masks.newest_first(takes, limit), masks.newest_first(nearly, min(limit, _NEARLY_SHOWN))
    )
    inboxes = folders_with_role(session, "inbox")
    return Rehearsal(
        examined=how_many(masks.there(IdRange(low, masks.top))),
        whole=low == 0,
        takes=takes.size,
        settled=counting.catch_up.settled,
        respected=counting.catch_up.respected,
        catch_up=counting.catch_up.changed,
        question=_question(counting, masks),
        spared=counts.spared,
        takes_otherwise=None if counting.other is None else counts.otherwise,
        counts=dict(counts.by_path),
        elsewhere=tuple((key, n) for key, n in counts.folders.most_common() if key not in inboxes),
        first=first,
        nearly=nearly.size,
        first_nearly=first_nearly,
        earlier=tuple(
            Earlier(stored.id, counts.earlier[stored.id], stored.rule.stop)
            for stored in counting.above
            if counts.earlier[stored.id]
        ),
        risks=(
            *risks_of(counting.rule),
            *_risks(session, masks, takes, sum(counts.folders[inbox] for inbox in inboxes)),
        ),
    )


def _question(counting: _Counting, masks: Masks) -> str | None:
    """What is asked before a catch-up that moves much of the mail."""
    catch_up, does = counting.catch_up, {action.do for action in counting.rule.then}
    return question_about(
        LargeMove(
            to_trash=catch_up.moved if "trash" in does else 0,
            erased=catch_up.moved if "erase" in does else 0,
            out_of_inbox=catch_up.out_of_inbox,
            all_mail=masks.examined,
        )
    )


def _risks(session: Session, masks: Masks, takes: Ids, in_inbox: int) -> Iterator[str]:
    inboxes = masks.in_folders(folders_with_role(session, "inbox"), IdRange(0, masks.top))
    there = how_many(inboxes)
    if there and in_inbox > there * _MUCH:
        yield f"It takes {in_inbox:,} of the {there:,} messages in the inbox"
    pairs = masks.remembered("from people written to", lambda: mail_from_people_written_to(session))
    taken = np.zeros(masks.top + 1, np.bool_)
    taken[takes] = True
    known = np.unique(pairs[taken[pairs[:, 0]], 1]).size
    if known:
        people = "one person" if known == 1 else f"{known:,} people"
        yield f"It takes mail from {people} you have written to"
