"""Boundaries on both sides, and single branches that equalities between two ways don't tell."""

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from mnemic.core import Circumstances, CompiledRules, Given, parse_message, read_rule, through_rules
from mnemic.core.analysis.order_check import check_line
from mnemic.core.analysis.risks import risks_of, short_phrases
from mnemic.core.rules import Rule

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)


def rule(field: str, test: str, *values: Any, **more: Any) -> Rule:
    condition = {"field": field, "test": test, "values": list(values)}
    return read_rule({"name": "r", "when": condition, "then": [{"do": "flag"}], **more})


@pytest.mark.parametrize(
    ("subject", "words", "begins", "ends"),
    [
        ("permit", True, True, True),
        ("a permit", True, False, True),
        ("permit a", True, True, False),
        ("a permit.", True, False, False),
        ("permits", False, True, False),
        ("a permits", False, False, False),
        ("apermit", False, False, True),
        ("permit_", False, True, False),
        ("_permit", False, False, True),
        ("permit1 permit", True, True, True),
        ("permits permit.", True, True, False),
    ],
)
def test_the_index_knows_where_words_and_texts_end(
    subject: str, words: bool, begins: bool, ends: bool
) -> None:
    tests = {"words": words, "begins": begins, "ends": ends, "contains": "permit" in subject}
    line = [rule("subject", test, "permit") for test in tests]
    message = parse_message(f"Subject: {subject}\n\n".encode())
    wanted = tuple(at for at, held in enumerate(tests.values()) if held)
    assert CompiledRules(line).decide(message).taken_by == wanted
    assert through_rules(line, message).taken_by == wanted


@pytest.mark.parametrize(
    ("above", "below", "never"),
    [
        (["arrival"], ["arrival"], True),
        (["arrival", "daily"], ["arrival"], True),
        (["arrival"], ["arrival", "daily"], False),  # once a day nothing is above it
        (["daily"], ["arrival"], False),
        (["arrival", "daily"], ["arrival", "sent"], False),
        (["hand", "arrival"], ["arrival", "hand"], False),  # when asked, it runs by itself
    ],
)
def test_a_rule_never_acts_only_where_the_one_above_runs_whenever_it_does(
    above: list[str], below: list[str], never: bool
) -> None:
    stops = rule("subject", "contains", "permit", runs=above, stop=True)
    later = rule("subject", "contains", "permits", runs=below)
    assert [finding.kind for finding in check_line([stops, later])] == ["never_acts"] * never


REPLY = {"do": "reply", "text": "away", "every": 7}


@pytest.mark.parametrize(
    ("ago", "held_back"),
    [
        (timedelta(days=7), False),
        (timedelta(days=7) - timedelta(seconds=1), True),
        (timedelta(seconds=1), True),
        (timedelta(days=8), False),
    ],
)
def test_a_sender_is_answered_again_after_just_so_many_days(
    ago: timedelta, held_back: bool
) -> None:
    """RFC 5230, section 4.1: not more often than once in the period."""
    around = Circumstances(now=NOW, answered={"bob@y.example": NOW - ago})
    message = parse_message(b"From: bob@y.example\n\nHello")
    answering = read_rule({"name": "r", "when": {"always": True}, "then": [REPLY]})
    outcome = through_rules([answering], message, given=Given(circumstances=around))
    assert outcome.reply is not held_back
    ((action,),) = [rule.actions for rule in outcome.trail]
    assert (action.held_back is not None) is held_back


@pytest.mark.parametrize(("above", "below", "outdone"), [(7, 7, True), (7, 8, True), (8, 7, False)])
def test_an_answer_is_outdone_by_one_that_comes_as_often(
    above: int, below: int, outdone: bool
) -> None:
    line = [
        rule("subject", "contains", word, then=[{**REPLY, "every": every}])
        for word, every in (("permit", above), ("permits", below))
    ]
    assert bool(check_line(line)) is outdone


@pytest.mark.parametrize(
    ("test", "value", "short"),
    [
        ("contains", "ab", True),
        ("contains", "abc", False),
        ("begins", "ab", True),
        ("ends", "ab", True),
        ("words", "ab", False),  # a whole word is no piece of another
        ("is", "ab", False),
        ("contains", "ﬁ", True),  # folded it has two letters
        ("contains", "ﬁx", False),
    ],
)
def test_pieces_of_fewer_than_three_letters_are_a_risk(test: str, value: str, short: bool) -> None:
    phrases = short_phrases(rule("subject", test, value).when)
    assert bool(phrases) is short
    assert any("is short" in risk for risk in risks_of(rule("subject", test, value))) is short


FLOWED = "Content-Type: text/plain; format=flowed{more}\n\n"


@pytest.mark.parametrize(
    ("body", "more", "read"),
    [
        # RFC 3676, from memory: sections 4.1 (a space at the end flows), 4.3 (signatures), 4.4 (stuffing), 4.5 (quotes).
        ("one \ntwo\n", "", "one two"),
        ("one\ntwo\n", "", "one\ntwo"),
        ("one \n-- \ntwo\n", "", "one -- \ntwo"),
        ("-- \nname\n", "", "-- \nname"),
        ("--  \nname\n", "", "--  name"),
        (" >no quote\n", "", ">no quote"),
        ("> one \n> two\n", "", "one two"),
        ("> one \n>> two\n", "", "one \ntwo"),
        ("one \ntwo\n", "; delsp=yes", "onetwo"),
        ("-- \nname\n", "; delsp=yes", "-- \nname"),
        ("one \n", "", "one "),
    ],
)
def test_lines_of_flowed_text_are_joined_at_their_edges(body: str, more: str, read: str) -> None:
    octets = (FLOWED.format(more=more) + body).encode()
    assert parse_message(octets).body == read


@pytest.mark.parametrize(
    ("written", "read"),
    [
        # RFC 2045, section 6.7, from memory.
        ("a=\nb", "ab"),
        ("a= \nb", "ab"),  # white space after a soft line break was added on the way
        ("a =20\nb", "a  \nb"),
        ("a \nb", "a\nb"),  # white space at a line's end was added on the way
        ("=41=4", "A=4"),
        ("=ZZ", "=ZZ"),
        ("=c3=a9", "é"),
        ("a=", "a"),
    ],
)
def test_quoted_printable_is_read_at_its_edges(written: str, read: str) -> None:
    head = (
        "Content-Type: text/plain; charset=utf-8\nContent-Transfer-Encoding: quoted-printable\n\n"
    )
    assert parse_message(f"{head}{written}".encode()).body == read


@pytest.mark.parametrize(
    ("word", "read"),
    [
        # RFC 2047, section 4.1, from memory; padding that was left out is common practice.
        ("=?utf-8?b?YQ==?=", "a"),
        ("=?utf-8?b?YQ=?=", "a"),
        ("=?utf-8?b?YQ?=", "a"),
        ("=?utf-8?b?YWI=?=", "ab"),
        ("=?utf-8?b?YWI?=", "ab"),
        ("=?utf-8?b?YWJj?=", "abc"),
        ("=?utf-8?q?a_b=20c?=", "a b c"),
    ],
)
def test_encoded_words_are_read_whatever_their_padding(word: str, read: str) -> None:
    assert parse_message(f"Subject: {word}\n\n".encode()).subject == read
