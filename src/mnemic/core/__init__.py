"""The core: messages, rules and what rules make of messages. Pure Python, no I/O, no clock."""

from mnemic.core.errors import (
    MnemicError,
    NoRoomError,
    Problem,
    RuleDocumentError,
    UnavailableError,
)
from mnemic.core.evaluation.compiled import CompiledRules, compiled_line
from mnemic.core.evaluation.outcome import Outcome, take, through_rules
from mnemic.core.events import Event
from mnemic.core.fields import Given
from mnemic.core.message import Circumstances, Envelope, MessageState, MessageView
from mnemic.core.message.parsing import ParsedMessage, looks_like_mail, parse_message
from mnemic.core.rules import Rule, RuleDocument
from mnemic.core.rules.reading import read_rule, read_rule_document

__all__ = [
    "Circumstances",
    "CompiledRules",
    "Envelope",
    "Event",
    "Given",
    "MessageState",
    "MessageView",
    "MnemicError",
    "NoRoomError",
    "Outcome",
    "ParsedMessage",
    "Problem",
    "Rule",
    "RuleDocument",
    "RuleDocumentError",
    "UnavailableError",
    "compiled_line",
    "looks_like_mail",
    "parse_message",
    "read_rule",
    "read_rule_document",
    "take",
    "through_rules",
]
