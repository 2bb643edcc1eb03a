"""Rules, and the document that holds them (rule document, version 1)."""

from collections.abc import Iterator
from functools import lru_cache
from typing import Annotated, Any, Literal, Self, TypeAlias, assert_never

from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Discriminator,
    Field,
    StrictBool,
    Tag,
    ValidationInfo,
    model_validator,
)
from pydantic_core import PydanticCustomError

from mnemic.core.actions import Action
from mnemic.core.bounds import (
    MOST_CONDITIONS,
    MOST_LEVELS,
    MOST_NAME,
    MOST_RULES,
    MOST_VALUES,
)
from mnemic.core.errors import Problem, at_most, invalid, is_stored, plain_name
from mnemic.core.events import Event
from mnemic.core.fields import BaseCondition, Condition
from mnemic.core.fields.condition import NonEmpty
from mnemic.core.fields.dates import DateCondition
from mnemic.core.rules.active_days import ActiveDays

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
]


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

AnyTest: TypeAlias = AllGroup | AnyGroup | NotGroup | Always | BaseCondition


def _too_deep(test: AnyTest, path: str, levels: int) -> Iterator[str]:
    """The paths of the groups that lie one level deeper than groups may."""
    if not isinstance(test, AllGroup | AnyGroup | NotGroup):
        return
    if levels == MOST_LEVELS:
        yield path
    elif isinstance(test, NotGroup):
        yield from _too_deep(test.not_, f"{path}.not", levels + 1)
    else:
        kind = "all" if isinstance(test, AllGroup) else "any"
        for at, inner in enumerate(test.tests):
            yield from _too_deep(inner, f"{path}.{kind}[{at}]", levels + 1)


def _within_bounds(test: AnyTest, info: ValidationInfo) -> AnyTest:
    """A test that a rule may hold: neither too deep nor of too many conditions."""
    if is_stored(info):
        return test
    deep = f"lies deeper than the {MOST_LEVELS} levels that groups may have"
    problems = [Problem(path.removeprefix("."), deep) for path in _too_deep(test, "", 0)]
    if not problems and sum(1 for _ in conditions_in(test)) > MOST_CONDITIONS:
        problems = [
            Problem(
                "",
                f"holds more than the {MOST_CONDITIONS} conditions of a rule; make two rules of it",
            )
        ]
    if problems:
        raise invalid(problems)
    return test


#: A test as a rule may hold it.
BoundedTest: TypeAlias = Annotated[Test, AfterValidator(_within_bounds)]


def _said(value: str, info: ValidationInfo) -> str:
    if not value.strip():
        raise PydanticCustomError("empty_name", "a rule needs a name; say what it is for")
    return plain_name(value, info)


_DayTest: TypeAlias = Literal["on", "before", "after"]


@lru_cache(maxsize=4_096)
def _within_days(days: ActiveDays) -> AnyTest:
    """The days as a test on the day of receipt."""
    bounds: tuple[tuple[str | None, _DayTest], ...] = (
        (days.first, "after"),
        (days.last, "before"),
    )
    return AllGroup(
        all=tuple(
            AnyGroup(any=(_received("on", day), _received(beyond, day)))
            for day, beyond in bounds
            if day is not None
        )
    )


def _received(test: _DayTest, day: str) -> DateCondition:
    return DateCondition(field="received", test=test, values=(day,))


class Rule(_DocumentModel):
    """One rule: when, unless, then, and whether later rules may still act."""

    name: Annotated[str, at_most(MOST_NAME), AfterValidator(_said)]
    enabled: StrictBool = True
    runs: Annotated[tuple[Event, ...], Field(min_length=1)] = ("arrival",)
    accounts: Annotated[tuple[NonEmpty, ...], at_most(MOST_VALUES)] = ()
    active: ActiveDays | None = Field(None, exclude_if=lambda days: days is None)
    when: BoundedTest
    unless: BoundedTest | None = None
    then: Annotated[tuple[Action, ...], Field(min_length=1)]
    stop: StrictBool = False

    @property
    def days(self) -> AnyTest | None:
        """The test that ``active`` makes of the day of receipt; None for a rule without end."""
        return None if self.active is None else _within_days(self.active)

    @model_validator(mode="after")
    def _not_too_many_conditions(self, info: ValidationInfo) -> Self:
        if is_stored(info):
            return self
        both = (*conditions_in(self.when), *conditions_in(self.unless))
        if len(both) > MOST_CONDITIONS:
            message = f"has more than the {MOST_CONDITIONS} conditions of a rule, when and unless"
            raise invalid([Problem("", message)])
        return self

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
    rules: Annotated[tuple[Rule, ...], at_most(MOST_RULES)]


def conditions_in(test: AnyTest | None) -> Iterator[BaseCondition]:
    """Every condition of a test, in order, those that are turned round too."""
    match test:
        case AllGroup() | AnyGroup():
            for inner in test.tests:
                yield from conditions_in(inner)
        case NotGroup():
            yield from conditions_in(test.not_)
        case None | Always():
            return
        case BaseCondition():
            yield test
        case _:
            assert_never(test)


def named_places(test: AnyTest | None, field: Literal["folder", "label"]) -> Iterator[str]:
    """The folders or labels that a test's conditions name."""
    for condition in conditions_in(test):
        if condition.field == field:
            yield from map(str, condition.values or ())
