"""Reading rules from JSON: everything that is wrong is said at once, each with its path."""

import json
from collections.abc import Iterable, Iterator, Mapping
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError
from pydantic_core import ErrorDetails

from mnemic.core.actions import ACTIONS
from mnemic.core.bounds import MOST_DOCUMENT_OCTETS
from mnemic.core.errors import AS_STORED, Problem, RuleDocumentError
from mnemic.core.fields import CONDITION_KINDS
from mnemic.core.rules.active_days import ActiveDays
from mnemic.core.rules.model import GROUPS, AllGroup, AnyTest, Rule, RuleDocument

__all__ = ["problems_of", "read_rule", "read_rule_document", "read_stored_rule", "read_test"]

Model = TypeVar("Model", bound=BaseModel)

_TEXTS = {
    "int_type": "has to be a whole number",
    "greater_than_equal": "has to be at least {ge}",
    "less_than_equal": "has to be at most {le}",
    "missing": "is missing; add it",
    "string_type": "has to be a text",
    "string_too_short": "may not be empty; write something",
    "too_short": "may not be empty; name at least one",
    "tuple_type": "has to be a list",
    "bool_type": "has to be true or false",
    "model_type": "has to be an object",
    "dict_type": "has to be an object",
    "model_attributes_type": "has to be an object",
    "recursion_loop": "is nested too deeply; take brackets out",
    "string_unicode": "holds half of a character (a lone surrogate); leave it out",
}


def _path(location: tuple[int | str, ...]) -> str:
    """``rules[3].when.all[1].test``, without the tags that pydantic puts between."""
    path = ""
    for step in location:
        if isinstance(step, int):
            path += f"[{step}]"
        elif not step.startswith("<"):
            path += f".{step}" if path else step
    return path


def _listed(names: Iterable[str]) -> str:
    return ", ".join(names)


def _inside(path: str, key: str) -> str:
    return f"{path}.{key}" if path else key


def _keys(model: type[BaseModel]) -> tuple[str, ...]:
    return tuple(field.alias or name for name, field in model.model_fields.items())


_TAGGED: tuple[type[BaseModel], ...] = (*GROUPS, *CONDITION_KINDS.values(), *ACTIONS.values())
_KEYS_INSIDE = {f"<{model.__name__}>": _keys(model) for model in _TAGGED}
_KEYS_INSIDE["active"] = _keys(ActiveDays)


def _unknown_key(path: str, location: tuple[int | str, ...]) -> Problem:
    around = location[-2] if len(location) > 1 else None
    if isinstance(around, str) and around in _KEYS_INSIDE:
        allowed = _KEYS_INSIDE[around]
    else:
        document = len(location) == 1 and location[0] != "when"
        allowed = _keys(RuleDocument) if document else _keys(Rule)
    return Problem(path, f"is not known here; allowed: {_listed(allowed)}")


def _not_a_test(path: str, value: Any) -> Problem:
    if not isinstance(value, Mapping):
        return Problem(path, "has to be a test: an object with all, any, not, always or field")
    if "field" not in value:
        return Problem(path, "is no test; it needs one of the keys all, any, not, always, field")
    message = f"unknown field {json.dumps(value['field'])}; allowed: {_listed(CONDITION_KINDS)}"
    return Problem(_inside(path, "field"), message)


def _problems(error: ErrorDetails) -> Iterator[Problem]:
    path, kind, context = _path(error["loc"]), error["type"], error.get("ctx", {})
    if kind == "not_a_test":
        yield _not_a_test(path, error["input"])
    elif kind == "invalid":
        for inner, message in context["problems"]:
            yield Problem(_inside(path, inner) if inner else path, message)
    elif kind == "not_an_action":
        yield Problem(_inside(path, "do"), f"unknown action; allowed: {_listed(ACTIONS)}")
    elif kind == "literal_error":
        given = json.dumps(error["input"], default=str)
        expected = (
            context["expected"].replace("True", "true").replace("False", "false").replace("'", "")
        )
        yield Problem(path, f"{given} is not known here; allowed: {expected}")
    elif kind == "extra_forbidden":
        yield _unknown_key(path, error["loc"])
    else:
        text = _TEXTS.get(kind)
        said = (
            error["msg"].removeprefix("Value error, ") if text is None else text.format(**context)
        )
        yield Problem(path, said)


def _own_errors(error: ValidationError) -> Iterator[ErrorDetails]:
    """The errors without those that only follow from others: pydantic calls a list empty, too,
    when nothing in it is valid.
    """
    errors = error.errors()
    outer = {detail["loc"][:depth] for detail in errors for depth in range(len(detail["loc"]))}
    for detail in errors:
        if detail["type"] != "too_short" or detail["loc"] not in outer:
            yield detail


def problems_of(error: ValidationError) -> list[Problem]:
    """What pydantic found wrong in a rule or a document, in the words of the rule document."""
    return [problem for detail in _own_errors(error) for problem in _problems(detail)]


def _validated(model: type[Model], value: Any) -> Model:
    try:
        return model.model_validate(value)
    except ValidationError as error:
        raise RuleDocumentError(problems_of(error)) from error


def read_rule(value: Any) -> Rule:
    """Check one rule, given as parsed JSON.

    Raises RuleDocumentError with every problem; paths begin inside the rule (``when.all[0]``).
    """
    return _validated(Rule, value)


def read_stored_rule(document: str) -> Rule:
    """A rule that was taken once, as JSON: it is read whatever the limits are by now."""
    return Rule.model_validate_json(document, context=AS_STORED)


def read_test(value: Any) -> AnyTest:
    """Check one test, given as parsed JSON or as models.

    Raises RuleDocumentError with every problem; paths begin at ``all[0]``.
    """
    return _validated(AllGroup, {"all": [value]}).all[0]


def read_rule_document(text: str | bytes) -> RuleDocument:
    """Read a rule document; it is taken whole or not at all.

    Raises RuleDocumentError with every problem and its path (``rules[3].when.all[1].test``).
    """
    if len(text) > MOST_DOCUMENT_OCTETS:
        megabytes = MOST_DOCUMENT_OCTETS // 1024**2
        raise RuleDocumentError(
            [Problem("", f"is larger than the {megabytes} MB it may have; split it")]
        )
    try:
        value = json.loads(text)
    except json.JSONDecodeError as error:
        message = (
            f"not JSON: {error.msg} at line {error.lineno}, column {error.colno}; mend it there"
        )
        raise RuleDocumentError([Problem("", message)]) from error
    except UnicodeDecodeError as error:
        raise RuleDocumentError(
            [Problem("", f"not UTF-8 at octet {error.start}; save it as UTF-8")]
        ) from error
    except RecursionError as error:
        raise RuleDocumentError([Problem("", "is nested too deeply; take brackets out")]) from error
    except ValueError as error:  # more digits than Python reads
        raise RuleDocumentError(
            [Problem("", "holds a number that is too long; write a shorter one")]
        ) from error
    return _validated(RuleDocument, value)
