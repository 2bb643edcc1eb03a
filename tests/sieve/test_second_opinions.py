"""What we write, by two general-purpose libraries that run Sieve: libsieve 2.2.6 and sifter3 0.2.7.

Each is asked for what it can do. Where one of them reads a test otherwise than RFC 5228 does, that
is listed with its reason; all else agrees with the core.
"""

import json
import subprocess
import sys
from collections.abc import Mapping, Set
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from mnemic.core import read_rule
from mnemic.core.sieve import Grade, Setting, written_script
from tests.sieve.both_ways import ME, SETTING, by_core, by_script, delivered

HERE = Path(__file__).parent
SENDER = "ann@z.example"


def one(field: str, test: str, *values: Any, **more: Any) -> dict[str, Any]:
    condition: dict[str, Any] = {"field": field, "test": test, **more}
    return {**condition, "values": list(values)} if values else condition


#: Conditions whose scripts need nothing but fileinto, which both libraries have.
BOTH: Mapping[str, dict[str, Any]] = {
    "subject contains": one("subject", "contains", "permit"),
    "subject is": one("subject", "is", "re: permit wl-2207", "lock 4"),
    "subject begins": one("subject", "begins", "Re:"),
    "subject ends": one("subject", "ends", "(paid)"),
    "subject like": one("subject", "wildcard", "*per?it*"),
    "subject has words": one("subject", "words", "permit", "lock"),
    "subject in this case": one("subject", "contains", "Permit", case=True),
    "from is": one("from", "is", "ann@sender.example", "bob@mail.sender.example"),
    "from contains": one("from", "contains", "sender"),
    "from begins": one("from", "begins", "ann"),
    "domain is": one("from", "is", "sender.example", part="domain"),
    "domain under": one("from", "under", "sender.example", part="domain"),
    "local is": one("from", "is", "bob", part="local"),
    "to like": one("to", "wildcard", "moor*@*"),
    "user is": one("to", "is", "moorings", part="user"),
    "header contains": one("header", "contains", "bar", name="X-Foo"),
    "header exists": one("header", "exists", name="X-Foo"),
    "list is": one("list", "is", "boats.lists.example"),
    "list ends": one("list", "ends", "lists.example"),
    "list exists": one("list", "exists"),
    "high": one("priority", "is", "high"),
    "normal": one("priority", "is", "normal"),
    "addressed to me": one("addressed", "is", "to_me", "cc_me"),
    "not addressed": one("addressed", "is", "not_me"),
    "known": one("contact", "is", "known"),
    "not, and any": {
        "not": {"any": [one("subject", "contains", "x"), one("from", "contains", "z")]}
    },
    "all": {"all": [one("subject", "contains", "permit"), one("from", "contains", "sender")]},
    "always": {"always": True},
}

#: What libsieve has beside that.
WITH_ENVELOPE: Mapping[str, dict[str, Any]] = {
    "recipient is": one("recipient", "is", "ann@x.example", "who@y.example"),
    "size over": one("size", "over", 400),
    "size under": one("size", "under", 400),
}  # fmt: skip

MAIL = {
    "reply": b"From: Ann <ann@sender.example>\nTo: moorings@x.example\nSubject: Re: permit WL-2207\n\nx\n",
    "case": b"From: BOB@mail.SENDER.example\nTo: a@y.example, MOORINGS+gate@x.example\nSubject: Permit (paid)\n\nx\n",
    "list": b"From: Zoe <z@other.example>\nTo: all@lists.example\nList-Id: Boats <boats.lists.example>\nSubject: permits\n\nx\n",
    "folded": b"From: <ann@sender.example>\nCc: ann@x.example\nSubject: Lock\n 4\nX-Foo: a\nX-Foo: barn\n\nx\n",
    "importance": b"From: a@notsender.example\nTo: b@y.example\nImportance: high\nSubject: x lock\n\n" + b"x" * 300 + b"\n",
    "priority": b"From: bob@x.example\nTo: ann+tag@x.example\nX-Priority: 1 (Highest)\nPriority: normal\n\nno subject\n",
    "empty": b"From: ann@sender.example\nSubject:\nX-Foo:\n\n",
}  # fmt: skip

#: Known misreadings: the condition and the mail, where a library does not do as RFC 5228 says.
#: sifter3 does not unfold header fields (section 2.4.2.2).
SIFTER = {("subject is", "folded"), ("subject has words", "folded")}
LIBSIEVE: set[tuple[str, str]] = set()

#: libsieve ends with an error at a header field that has no text.
TOO_MUCH_FOR_LIBSIEVE = {"empty"}


def scripts(
    conditions: Mapping[str, dict[str, Any]], setting: Setting
) -> dict[str, tuple[str, Any]]:
    """For each condition a script that files into one folder or keeps, and the rule."""
    written = {}
    for name, when in conditions.items():
        rules = [
            read_rule({"name": "r", "when": when, "then": [{"do": "file", "folder": "yes"}]}),
        ]
        script = written_script(rules, setting)
        assert script.grades[0].grade < Grade.NO
        written[name] = f"{script.text}else {{ keep; }}\r\n", rules
    return written


def asked(conditions: Mapping[str, dict[str, Any]], setting: Setting) -> list[tuple[Any, ...]]:
    """Every script with every message, and what the core says."""
    return [
        (
            name,
            kind,
            script,
            delivered(mail),
            "yes" in dict(by_core(rules, delivered(mail)).folders),
        )
        for name, (script, rules) in scripts(conditions, setting).items()
        for kind, mail in MAIL.items()
    ]


def disagreeing(
    cases: list[tuple[Any, ...]], answers: list[bool], known: Set[tuple[str, str]] = frozenset()
) -> set[tuple[str, str]]:
    """Where a library answers otherwise, apart from what is known of it."""
    other = {
        (name, kind)
        for (name, kind, _, _, core), answer in zip(cases, answers, strict=True)
        if core != answer
    }
    assert known <= other, "what is listed as a misreading is none any more"
    return other - known


def answers_of(child: str, cases: list[tuple[Any, ...]]) -> list[bool]:
    """Whether each script files the message, by a library in a process of its own."""
    given = [
        {"script": script, "message": mail.decode(), "sender": SENDER, "recipient": ME[0]}
        for _, _, script, mail, _ in cases
    ]
    run = subprocess.run(
        [sys.executable, HERE / child],
        input=json.dumps(given),
        capture_output=True,
        text=True,
        check=True,
        timeout=120,
    )
    results = json.loads(run.stdout)
    assert [result["errors"] for result in results] == [[]] * len(cases)
    return ["yes" in result["folders"] for result in results]


LEAST = replace(SETTING, capabilities=frozenset({"fileinto"}))
SOME = replace(SETTING, capabilities=frozenset({"fileinto", "envelope"}))


def test_libsieve_agrees() -> None:
    cases = [
        case
        for case in asked({**BOTH, **WITH_ENVELOPE}, SOME)
        if case[1] not in TOO_MUCH_FOR_LIBSIEVE
    ]
    assert disagreeing(cases, answers_of("libsieve.py", cases), LIBSIEVE) == set()


def test_sifter_agrees() -> None:
    cases = asked(BOTH, LEAST)
    assert disagreeing(cases, answers_of("sifter_child.py", cases), SIFTER) == set()


@pytest.mark.parametrize("setting", [LEAST, SOME, SETTING], ids=["least", "some", "usual"])
def test_the_stand_in_agrees(setting: Setting) -> None:
    cases = asked({**BOTH, **WITH_ENVELOPE}, setting)
    answers = [
        "yes" in dict(by_script(script, mail, SENDER).folders) for _, _, script, mail, _ in cases
    ]
    assert disagreeing(cases, answers) == set()


@pytest.mark.parametrize("name", ["subject like", "domain under"])
def test_a_condition_is_right_for_some_of_the_mail_and_not_for_other(name: str) -> None:
    answers = {core for asks, _, _, _, core in asked(BOTH, LEAST) if asks == name}
    assert answers == {True, False}
