"""Rules: their models, reading them from JSON, and reading them back as a sentence."""

from mnemic.core.rules.model import (
    GROUPS,
    AllGroup,
    Always,
    AnyGroup,
    AnyTest,
    BoundedTest,
    Event,
    NotGroup,
    Rule,
    RuleDocument,
    Test,
    conditions_in,
    named_places,
)
from mnemic.core.rules.reading import (
    read_rule,
    read_rule_document,
)
from mnemic.core.rules.sentence import (
    sentence_of,
)

__all__ = [
    "GROUPS",
    "AllGroup",
    "Always",
    "AnyGroup",
    "AnyTest",
    "BoundedTest",
    "Event",
    "NotGroup",
    "Rule",
    "RuleDocument",
    "Test",
    "conditions_in",
    "named_places",
    "read_rule",
    "read_rule_document",
    "sentence_of",
]
