"""Rules, and the document that holds them (rule document, version 1)."""

from collections.abc import Iterator
from typing import Annotated, Any, Literal, Self, TypeAlias

from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Discriminator,
    Field,
    StrictBool,
    Tag,
    model_validator,
)
from pydantic_core import PydanticCustomError

from mnemic.core.actions import Action
from mnemic.core.conditions import AnyCondition, Condition
from mnemic.core.errors import Problem, invalid

__all__ = [
    "GROUPS",
    "AllGroup",
    "Always",
    "AnyGroup",
    "AnyTest",
    "Event",
    "NotGroup",
    "Rule",
    "RuleDocument",
    "Test",
    "conditions_in",
    "named_places",
]

#: What makes rules run: mail comes in, mail is sent, once a day, or when the owner asks.
Event: TypeAlias = Literal["arrival", "sent", "daily", "hand"]


class _DocumentModel(BaseModel):
    model_config = ConfigDict(
        extra="forbid", frozen=True, validate_by_name=True, validate_by_alias=True
    )


_GROUP_KEYS = ("all", "any", "not", "always")


def _test_tag(value: Any) -> str | None:
    """Which kind of test a value is. Tags stand in <>, so that error paths can leave them out."""
    if isinstance(value, BaseModel):
        return _TAG_OF_GROUP.get(type(value).__name__, "<condition>")
    if not isinstance(value, dict):
        return None
    for key in _GROUP_KEYS:
        if key in value:
            return _TAG_OF_KEY[key]
    return "<condition>" if "field" in value else None


_TAG_OF_KEY = {"all": "<AllGroup>", "any": "<AnyGroup>", "not": "<NotGroup>", "always": "<Always>"}
_TAG_OF_GROUP = {tag.strip("<>"): tag for tag in _TAG_OF_KEY.values()}

Test: TypeAlias = Annotated[
    Annotated["AllGroup", Tag("<AllGroup>")]
    | Annotated["AnyGroup", Tag("<AnyGroup>")]
    | Annotated["NotGroup", Tag("<NotGroup>")]
    | Annotated["Always", Tag("<Always>")]
    | Annotated[Condition, Tag("<condition>")],
    Discriminator(_test_tag, custom_error_type="not_a_test", custom_error_message="not a test"),
]


class AllGroup(_DocumentModel):
    """Holds if every one of its tests holds."""

    all: Annotated[tuple[Test, ...], Field(min_length=1)]

    @property
    def tests(self) -> tuple["AnyTest", ...]:
        """What the group holds."""
        return self.all


class AnyGroup(_DocumentModel):
    """Holds if at least one of its tests holds."""

    any: Annotated[tuple[Test, ...], Field(min_length=1)]

    @property
    def tests(self) -> tuple["AnyTest", ...]:
        """What the group holds."""
        return self.any


class NotGroup(_DocumentModel):
    """Holds if its test does not: the whole answer turned round."""

    not_: Annotated[Test, Field(alias="not")]


class Always(_DocumentModel):
    """Holds for every message."""

    always: Literal[True]


#: The tests that are no conditions.
GROUPS = (AllGroup, AnyGroup, NotGroup, Always)

AnyTest: TypeAlias = AllGroup | AnyGroup | NotGroup | Always | AnyCondition


def _said(value: str) -> str:
    if not value.strip():
        raise PydanticCustomError("empty_name", "a rule needs a name; say what it is for")
    return value


class Rule(_DocumentModel):
    """One rule: when, unless, then, and whether later rules may still act."""

    name: Annotated[str, AfterValidator(_said)]
    enabled: StrictBool = True
    runs: Annotated[tuple[Event, ...], Field(min_length=1)] = ("arrival",)
    accounts: tuple[str, ...] = ()
    when: Test
    unless: Test | None = None
    then: Annotated[tuple[Action, ...], Field(min_length=1)]
    stop: StrictBool = False

    @model_validator(mode="after")
    def _one_action_for_a_slot(self) -> Self:
        taken: dict[str, int] = {}
        problems = []
        for position, action in enumerate(self.then):
            if action.slot is None:
                continue
            first = taken.setdefault(action.slot, position)
            if first != position:
                message = f"sets the {action.slot}, as then[{first}] does; keep one of them"
                problems.append(Problem(f"then[{position}]", message))
        if problems:
            raise invalid(problems)
        return self


class RuleDocument(_DocumentModel):
    """The open format in which rules are kept, exported and run."""

    format: Literal["mnemic-rules"]
    version: Literal[1]
    rules: tuple[Rule, ...]


def conditions_in(test: AnyTest | None) -> Iterator[AnyCondition]:
    """Every condition of a test, in order, those that are turned round too."""
    match test:
        case AllGroup() | AnyGroup():
            for each in test.tests:
                yield from conditions_in(each)
        case NotGroup():
            yield from conditions_in(test.not_)
        case None | Always():
            return
        case _:
            yield test


def named_places(test: AnyTest | None, field: Literal["folder", "label"]) -> Iterator[str]:
    """The folders or labels that a test's conditions name."""
    for condition in conditions_in(test):
        if condition.field == field:
            yield from map(str, condition.values or ())
