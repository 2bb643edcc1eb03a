"""All condition fields and actions, as the editor and other programs are told of them.

``make api`` writes ``web/src/rules/catalogue.ts`` from it: what the editor offers is what the core
reads. Only input components are written by hand.
"""

from dataclasses import asdict
from typing import Any, get_args

from mnemic.core.actions import ACTION_KINDS
from mnemic.core.actions.action import ActionKind
from mnemic.core.actions.effect import MoveTo
from mnemic.core.fields import FIELDS, Field
from mnemic.core.fields.field import GROUPS, Aspect, CompletedAddress, ValueKind

__all__ = ["catalogue"]


def catalogue() -> dict[str, Any]:
    """Groups of the editor's list, labels of tests, fields with their aspects, actions: as JSON."""
    return {
        "groups": list(GROUPS),
        "testLabels": _test_labels(),
        "fields": {name: _field(field) for name, field in FIELDS.items()},
        "actions": {name: _action(kind) for name, kind in ACTION_KINDS.items()},
    }


def _field(field: Field) -> dict[str, Any]:
    return {
        "hasCase": field.has_case,
        "aspects": [_aspect(aspect) for aspect in field.aspects],
    }


def _aspect(aspect: Aspect) -> dict[str, Any]:
    entry = {
        **asdict(aspect),
        "tests": [name for name, _ in aspect.tests],
        "choices": [{"value": value, "label": label} for value, label in aspect.choices] or None,
    }
    if isinstance(aspect.completes, CompletedAddress):
        entry["completes"] = aspect.completes._asdict()
    return {key: value for key, value in entry.items() if value is not None}


def _test_labels() -> dict[ValueKind, dict[str, str]]:
    """What tests are called, by the kind of their values."""
    labels: dict[ValueKind, dict[str, str]] = {}
    for field in FIELDS.values():
        for aspect in field.aspects:
            labels.setdefault(aspect.values, {}).update(aspect.tests)
    return labels


def _action(kind: ActionKind) -> dict[str, Any]:
    effect = kind.model.model_construct(**kind.as_added).effect("hand")
    return {
        "label": kind.label,
        "short": kind.short,
        "slot": kind.slot,
        "fresh": kind.as_added,
        "needs": list(kind.needs),
        "input": kind.input,
        "picks": None if kind.picks is None else _picks(kind),
        "movesTo": effect.role if isinstance(effect, MoveTo) else None,
    }


def _picks(kind: ActionKind) -> dict[str, Any]:
    """The key whose value is picked from a few, with its values; whether it may be left out."""
    assert kind.picks is not None
    key, label = kind.picks
    allowed = kind.model.model_fields[key]
    values: list[str] = []
    for part in (allowed.annotation, *get_args(allowed.annotation)):
        values += [value for value in get_args(part) if isinstance(value, str)]
    return {"key": key, "label": label, "values": values, "optional": not allowed.is_required()}
