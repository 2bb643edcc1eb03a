"""The core's rules and the stand-in's interpreter, which share no code, held against each other."""

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import HealthCheck, assume, example, given, settings
from hypothesis import strategies as st

from mnemic.core import Rule, read_rule, read_rule_document
from mnemic.core.sieve import Grade, Setting, SieveError, read_script, written_script
from tests.core import strategies
from tests.sieve import scripts
from tests.sieve.both_ways import SETTING, Comes, by_core, by_script, delivered

LINES = st.lists(strategies.rules, min_size=1, max_size=4).map(
    lambda written: tuple(
        read_rule({**rule, "name": f"r{number}"}) for number, rule in enumerate(written)
    )
)
#: Encoded words (RFC 2047) and domains in their ASCII form (RFC 5891) mean letters beyond ASCII.
PLAIN_MAIL = strategies.mail.filter(
    lambda octets: octets.isascii() and b"=?" not in octets and b"xn--" not in octets
)

#: Servers that can do all that is usual, have no memory, or no copies; and one that can do more.
SERVERS = [
    SETTING,
    replace(SETTING, capabilities=SETTING.capabilities - {"variables"}),
    replace(SETTING, capabilities=SETTING.capabilities - {"copy", "envelope", "subaddress"}),
    replace(SETTING, capabilities=SETTING.capabilities - {"copy", "variables", "mailbox"}),
    replace(SETTING, capabilities=SETTING.capabilities | {"regex", "index", "mime", "duplicate"}),
]
TWO_FLAGS = "one message would get different flags in two places; no rule can say that"

often = settings(
    max_examples=200,
    deadline=None,
    suppress_health_check=[HealthCheck.filter_too_much, HealthCheck.too_slow],
)


def written_of(rules: Sequence[Rule], worst: Grade, setting: Setting) -> list[Rule]:
    """The rules that a script says as near as that."""
    grades = written_script(rules, setting).grades
    return [rule for rule, grade in zip(rules, grades, strict=True) if grade.grade <= worst]


def same_but_answers(core: Comes, server: Comes, mail: bytes) -> bool:
    """Ours answers nobody who takes no answers; that is told with the rule."""
    if b"no-reply@" in mail:
        core = replace(core, answered=server.answered)
    return core == server


@often
@given(LINES, strategies.mail, st.sampled_from(SERVERS))
def test_what_is_graded_same_decides_the_same_on_any_mail(
    rules: tuple[Rule, ...], octets: bytes, setting: Setting
) -> None:
    same = written_of(rules, Grade.SAME, setting)
    assume(same)
    mail = delivered(octets)
    assert by_script(written_script(same, setting).text, mail) == by_core(same, mail)


@pytest.mark.parametrize("written", ["bücher.example", "xn--bcher-kva.example"])
@pytest.mark.parametrize("came", ["xn--bcher-kva.example", "x.example"])
@pytest.mark.parametrize(
    ("part", "test", "local"),
    [
        ("domain", "is", ""),
        ("domain", "under", ""),
        ("address", "is", "ann@"),
        ("address", "ends", "@"),
        ("any", "ends", "@"),
    ],
)
def test_a_whole_domain_is_found_in_both_its_forms(
    part: str, test: str, local: str, written: str, came: str
) -> None:
    """RFC 5891: the ASCII form of a domain is the same domain."""
    when = {"field": "from", "part": part, "test": test, "values": [local + written]}
    rule = read_rule({"name": "r", "when": when, "then": [{"do": "archive"}]})
    mail = delivered(b"From: ann@%b\n\n" % came.encode())
    script = written_script((rule,), SETTING)
    assert "xn--" not in str(script.grades[0])
    assert by_script(script.text, mail) == by_core((rule,), mail)
    assert by_core((rule,), mail).folders == {
        ("Archive" if came != "x.example" else "INBOX", frozenset())
    }


@pytest.mark.parametrize("part", ["domain", "address", "any"])
@pytest.mark.parametrize(
    ("test", "value"),
    [("wildcard", "*b?cher*"), ("contains", "üch"), ("ends", "kva.example"), ("regex", "b.cher")],
)
def test_a_piece_of_a_domain_in_ascii_decides_otherwise_and_is_told(
    part: str, test: str, value: str
) -> None:
    rule = read_rule(
        {
            "name": "r",
            "when": {"field": "from", "part": part, "test": test, "values": [value]},
            "then": [{"do": "archive"}],
        }
    )
    mail = delivered(b"From: ann@xn--bcher-kva.example\n\n")
    script = written_script((rule,), SERVERS[-1])
    (graded,) = script.grades
    assert graded.grade != Grade.SAME
    if graded.written:
        assert by_script(script.text, mail) != by_core((rule,), mail)
        assert "only as the mail writes it (xn--)" in str(graded)


WORDS = {"field": "body", "test": "words", "values": ["permit", "ß"]}


@settings(often, max_examples=500)
@given(LINES, PLAIN_MAIL, st.sampled_from(SERVERS))
@example(
    (read_rule({"name": "r", "when": WORDS, "then": [{"do": "archive"}]}),),
    b"From: a@x.example\n\na Permit",
    SERVERS[-1],
)
def test_what_is_graded_close_decides_the_same_on_mail_of_plain_ascii(
    rules: tuple[Rule, ...], octets: bytes, setting: Setting
) -> None:
    close = written_of(rules, Grade.CLOSE, setting)
    assume(close)
    mail = delivered(b"Cc: ann@x.example\n" + octets)  # who is not named is not answered there
    script = written_script(close, setting).text
    assert same_but_answers(by_core(close, mail), by_script(script, mail), mail)


@settings(often, max_examples=500)
@given(scripts.scripts, st.lists(scripts.mail, min_size=1, max_size=3))
def test_the_rules_of_a_script_decide_as_it_does(script: str, mail: list[bytes]) -> None:
    text = scripts.REQUIRE + script
    try:
        rules = read_script(text.encode()).rules
    except SieveError as error:
        refused = {problem.reason for problem in error.problems}
        assume(refused - {TWO_FLAGS})  # what else is refused is a fault
        raise
    for octets in map(delivered, mail):
        core = by_core(rules, octets)
        kept = frozenset(folder for folder in core.folders if folder[0] != "Mnemic/Held back")
        assert replace(core, folders=kept) == by_script(text, octets)


@settings(often, max_examples=150)
@given(LINES, PLAIN_MAIL, st.sampled_from(SERVERS[:4]))
def test_a_script_of_ours_comes_back_and_changed_it_is_read_by_its_text(
    rules: tuple[Rule, ...], octets: bytes, setting: Setting
) -> None:
    script = written_script(rules, setting).text
    assert read_script(script.encode()).rules == rules
    assert read_script(script.replace("\r\n", "\n").encode()).rules == rules
    read = read_script(f"{script}# changed\r\n".encode())
    assert not read.own
    mail = delivered(b"Cc: ann@x.example\n" + octets)
    assert same_but_answers(by_core(read.rules, mail), by_script(script, mail), mail)
    again = read_script(written_script(read.rules, setting).text.encode())
    assert again.rules == read.rules


def shipped_rules() -> dict[str, tuple[Rule, ...]]:
    """The demo's rules, and the documents in docs/rules.md."""
    root = Path(__file__).parents[2]
    shipped = {"demo": (root / "src/mnemic/demo/rules.json").read_text("utf-8")}
    pieces = (root / "docs/rules.md").read_text("utf-8").split("```json\n")[1:]
    for number, piece in enumerate(pieces):
        document = piece.partition("```")[0]
        if '"mnemic-rules"' in document:
            shipped[f"docs/rules.md, {number}"] = document
    return {name: read_rule_document(text).rules for name, text in shipped.items()}


SHIPPED = shipped_rules()


@pytest.mark.parametrize("name", SHIPPED)
@pytest.mark.parametrize("setting", SERVERS[:4], ids=["usual", "no variables", "no copy", "least"])
def test_the_rules_that_are_shipped_go_there_and_back(name: str, setting: Setting) -> None:
    script = written_script(SHIPPED[name], setting)
    assert all(grade.grade < Grade.NO for grade in script.grades if grade.written)
    assert read_script(script.text.encode()).rules == SHIPPED[name]
    read_script(f"{script.text}# changed\r\n".encode())
    for octets in MAIL_OF_THE_DEMO:
        mail = delivered(octets)
        assert by_script(script.text, mail) == by_core(SHIPPED[name], mail)


def _mail(sender: str, to: str, subject: str, body: str = "Dear all") -> bytes:
    return f"From: {sender}\nTo: {to}\nSubject: {subject}\n\n{body}\n".encode()


def _own(alias: str) -> str:
    return f"{alias}@wendle-lyde.example"


MAIL_OF_THE_DEMO = [
    _mail("gauge-07@gauges.wendle-lyde.example", _own("works"), "Level report: urgent"),
    _mail("orders@lockhouse-shop.example", _own("shop"), "New order 4261: the calendar"),
    _mail("Priya <priya.n@millpond.example>", _own("MOORINGS"), "Re: Licence: insurance"),
    _mail("a@b.example", _own("moorings"), "Permits and licences"),
    _mail("a@b.example", _own("works"), "Lock 4", "The works are urgent.\nPlease come."),
    _mail("a@b.example", _own("volunteers"), "The rota, and shifts"),
    _mail("a@tamarack-timber.example", "x@y.example", "Timber"),
    _mail("a@b.example", "boaters@lists.wendle-lyde.example", "Offer: rope"),
]


@pytest.mark.parametrize(
    "rule", [rule for rule in SHIPPED["demo"] if rule.enabled], ids=lambda rule: rule.name
)
def test_there_is_mail_that_each_rule_of_the_demo_takes(rule: Rule) -> None:
    comes = {by_core([rule], delivered(octets)) for octets in MAIL_OF_THE_DEMO}
    assert len(comes) > 1
