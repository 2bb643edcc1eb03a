"""Rules proposed from what people do by hand; ``owners`` makes the people."""

import random
from datetime import date, timedelta
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import binomtest

from mnemic.core import parse_message, read_rule
from mnemic.core.fields import NOTHING_GIVEN
from mnemic.core.proposals import Habit, HandAct, Proposal, StandingRule, propose, traits_of
from mnemic.core.proposals.certainty import lower_bound
from mnemic.core.proposals.message_set import ids_in, set_of
from mnemic.core.rules import conditions_in
from tests.core import strategies
from tests.core.owners import (
    MadeMail,
    PolicyRule,
    habits_of,
    made_mail,
    made_senders,
    policy_of,
)

DAY = date(2026, 5, 4)


@given(st.integers(1, 3_000).flatmap(lambda of: st.tuples(st.integers(0, of), st.just(of))))
def test_the_bound_is_that_of_a_statistics_library(count: tuple[int, int]) -> None:
    did, of = count
    interval = binomtest(did, of).proportion_ci(0.95, method="wilson")  # SciPy
    assert lower_bound(did, of) == pytest.approx(interval.low, abs=1e-9)


@pytest.mark.parametrize(
    ("did", "of", "bound"),
    [(81, 263, 0.2553), (15, 148, 0.0624), (0, 20, 0.0), (1, 29, 0.0061)],
)
def test_the_bound_is_that_of_published_examples(did: int, of: int, bound: float) -> None:
    """Newcombe 1998, "Two-sided confidence intervals for the single proportion", from memory."""
    assert lower_bound(did, of) == pytest.approx(bound, abs=5e-5)


@given(st.sets(st.integers(0, 3_000)))
def test_a_set_of_messages_holds_what_was_put_in(ids: set[int]) -> None:
    assert list(ids_in(set_of(ids))) == sorted(ids)


@given(strategies.mail)
def test_the_condition_of_every_trait_takes_the_message(octets: bytes) -> None:
    message = parse_message(octets)
    for trait in traits_of(message, frozenset(["ann@x.example"])):
        condition = trait.condition
        assert condition is None or condition.holds(message, NOTHING_GIVEN), trait


def fits(proposal: Proposal, rule: PolicyRule, later: MadeMail) -> bool:
    """The same act, at least 90% of its mail, at most 10% other: on mail that came afterwards."""
    mine, its = later.taken(tuple(conditions_in(proposal.rule.when))), later.taken(rule.conditions)
    both = (mine & its).bit_count()
    enough = both >= 0.9 * its.bit_count() and mine.bit_count() - both <= 0.1 * mine.bit_count()
    return enough and proposal.rule.then == (rule.action,)


def test_what_owners_have_in_mind_is_found_and_little_else() -> None:
    rules = recovered = proposals = strange = 0
    for seed in range(20):
        rng = random.Random(seed)  # noqa: S311 -- the same mail each time, nothing secret
        senders = made_senders(rng)
        mail = MadeMail(made_mail(rng, senders, 3_000))
        policy = policy_of(rng, mail)
        proposed = propose(habits_of(rng, mail, policy), mail, [])
        later = MadeMail(made_mail(rng, senders, 3_000))
        rules, proposals = rules + len(policy), proposals + len(proposed)
        recovered += sum(
            any(fits(proposal, rule, later) for proposal in proposed) for rule in policy
        )
        strange += sum(
            not any(fits(proposal, rule, later) for rule in policy) for proposal in proposed
        )
    assert rules > 100
    assert recovered >= 0.9 * rules
    assert strange <= 0.1 * proposals


def reports(count: int, *, sender: str = "ann@firm.example", subject: str = "rota") -> list[bytes]:
    head = f"From: {sender}\nTo: office@trust.example\nSubject: {subject}\n\nhi"
    return [head.encode()] * count


def mail_of(*octets: bytes) -> MadeMail:
    views: list[Any] = list(map(parse_message, octets))
    return MadeMail(views)


def filed(messages: range, *, days: int = 2, selected: int = 1) -> Habit:
    """Messages filed one at a time, on so many days in turn."""
    rule = read_rule(
        {"name": "r", "when": {"always": True}, "then": [{"do": "file", "folder": "A"}]}
    )
    if selected > 1:
        return Habit(rule.then[0], [HandAct(tuple(messages), selected, DAY)])
    acts = [HandAct((key,), 1, DAY + timedelta(days=key % days)) for key in messages]
    return Habit(rule.then[0], acts)


OTHER = reports(40, sender="bob@else.example", subject="quote")


@pytest.mark.parametrize(
    ("habits", "counts"),
    [
        ([filed(range(1, 11))], [(10, 10)]),
        ([filed(range(1, 11), days=1)], []),  # all on one day
        ([filed(range(1, 6))], []),  # 5 of 10: not sure
        ([filed(range(1, 9))], []),  # 8 of 10: 0.49
        ([filed(range(1, 10))], []),  # 9 of 10: 0.596
        ([filed(range(1, 11), selected=101)], []),  # a large selection is one act
        ([filed(range(1, 11), selected=100)], []),  # all on one day, too
    ],
)
def test_a_habit_is_what_is_done_often_on_several_days_and_hardly_ever_left(
    habits: list[Habit], counts: list[tuple[int, int]]
) -> None:
    proposed = propose(habits, mail_of(*reports(10), *OTHER), [])
    proposed_counts = [
        (proposal.counted.did.bit_count(), proposal.counted.of.bit_count()) for proposal in proposed
    ]
    assert proposed_counts == counts


def test_mail_from_before_the_first_act_is_no_chance_and_is_taken_all_the_same() -> None:
    (proposal,) = propose([filed(range(21, 31))], mail_of(*reports(30), *OTHER), [])
    counts = (
        proposal.counted.did.bit_count(),
        proposal.counted.of.bit_count(),
        proposal.counted.taken.bit_count(),
    )
    assert counts == (10, 10, 30)


def test_the_simplest_of_those_that_say_the_same() -> None:
    (proposal,) = propose([filed(range(1, 11))], mail_of(*reports(10), *OTHER), [])
    assert (
        proposal.sentence
        == "When the subject has the word rota: file it in A; later rules may still act."
    )
    both = [*reports(10), *reports(10, subject="quote"), *OTHER]
    (proposal,) = propose([filed(range(1, 11))], mail_of(*both), [])
    assert "rota" in proposal.sentence  # of the mail of one sender a part alone


@pytest.mark.parametrize(
    ("does", "takes", "proposals"),
    [
        ({"do": "file", "folder": "A"}, 6, 0),  # does it already
        ({"do": "trash"}, 6, 0),  # sets the same slot otherwise
        ({"do": "trash"}, 5, 1),  # no more than half of the mail
        ({"do": "flag"}, 10, 1),  # another slot
        ({"do": "copy", "folder": "A"}, 10, 1),
    ],
)
def test_no_rule_of_the_line_does_or_contradicts_it(
    does: dict[str, Any], takes: int, proposals: int
) -> None:
    rule = read_rule({"name": "r", "when": {"always": True}, "then": [does]})
    line = [StandingRule(rule, lambda: set_of(range(1, takes + 1)))]
    proposed = propose([filed(range(1, 11))], mail_of(*reports(10), *OTHER), line)
    assert len(proposed) == proposals
