"""The rule document's JSON Schema (draft 2020-12), made from the models."""

from typing import Any

from mnemic.core.rules.model import RuleDocument

__all__ = ["rule_schema"]


def rule_schema() -> dict[str, Any]:
    """The schema that ``schemas/rules-1.schema.json`` holds.

    A schema can't say everything: a pattern that RE2 refuses, two actions for one slot, or what
    lies beyond a limit (docs/bounds.md) is found when the document is read.
    """
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        **RuleDocument.model_json_schema(by_alias=True),
        "title": "Mnemic rules, version 1",
    }
