"""Entity tags of rules, by which a page says which version it began with (RFC 9110, 8.8.3)."""

import hashlib
from collections.abc import Iterable
from functools import lru_cache

from mnemic.core import Rule
from mnemic.store.line.pins import Pin

__all__ = ["rule_digest", "version_of"]


def _digest(text: str) -> str:
    return hashlib.sha256(text.encode()).hexdigest()[:16]


@lru_cache(maxsize=4_096)  # each page asks for the whole line
def rule_digest(rule: Rule) -> str:
    """What tells this rule from one that says something else; on or off is the same rule."""
    return _digest(rule.model_copy(update={"enabled": True}).model_dump_json(by_alias=True))


def version_of(rule: Rule, pins: Iterable[Pin]) -> str:
    """The entity tag of a rule with its examples."""
    examples = sorted((pin.message_id, pin.wanted) for pin in pins)
    return f"{rule_digest(rule)}-{_digest(repr(examples))}"
