"""Evaluation: one message through the rules, with its trail.

``matching``, ``acting`` and ``outcome`` say what happens, plainly; ``compiled`` and
``phrase_index`` say the same faster, and a property test holds the two equal.
"""

from mnemic.core.evaluation.compiled import CompiledRules, compiled_line
from mnemic.core.evaluation.outcome import Outcome, take, through_rules

__all__ = ["CompiledRules", "Outcome", "compiled_line", "take", "through_rules"]
