"""A script as steps: runs of commands, each with the branches that lead to it.

A block's own commands are one step as long as no other block stands between them. A step is reached
where the conditions of its branches hold and no step before it has stopped.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Generic, TypeVar

from mnemic.core.bounds import MOST_CONDITIONS
from mnemic.core.rules import AllGroup, Always, AnyGroup, AnyTest, NotGroup
from mnemic.core.sieve.reading.conditions import Reader
from mnemic.core.sieve.reading.refusals import Notes, RefusedError
from mnemic.core.sieve.syntax import Command, Tag

__all__ = [
    "TOO_MANY",
    "Branch",
    "Reached",
    "Step",
    "any_of",
    "held_by",
    "only_files",
    "steps_of",
]

#: What is said where a rule would have to name too much of what comes before it.
TOO_MANY = (
    f"depends on more than {MOST_CONDITIONS} conditions before it; write stop behind what files"
)

Item = TypeVar("Item")


@dataclass(frozen=True, slots=True, eq=False)
class Branch:
    """One branch of an if: which of them, its condition, and what the branches before exclude."""

    chain: int
    number: int
    when: AnyTest
    unless: tuple[AnyTest, ...]
    why: tuple[str, ...] = ()
    #: Whether each branch before does nothing but file the message.
    after_places: bool = False


@dataclass(frozen=True, slots=True)
class Step:
    """Commands that are reached together, in order; ``comments`` stand before the first."""

    place: int
    branches: tuple[Branch, ...]
    commands: tuple[Command, ...]
    comments: tuple[str, ...]

    @property
    def stops(self) -> bool:
        """Whether the script ends with it."""
        return any(command.name == "stop" for command in self.commands)

    def excludes(self, other: "Step") -> bool:
        """Whether they stand in different branches of one if."""
        numbers = {branch.chain: branch.number for branch in self.branches}
        return any(
            numbers.get(branch.chain, branch.number) != branch.number for branch in other.branches
        )

    def leads_to(self, later: "Step") -> bool:
        """Whether a later step may be reached where this one was."""
        return not self.stops and not self.excludes(later)

    def is_sure_at(self, later: "Step") -> bool:
        """Whether this one was reached wherever the later one is."""
        return later.branches[: len(self.branches)] == self.branches and not self.stops


def only_files(commands: Sequence[Command]) -> bool:
    """Whether commands file a message, once, and do nothing else."""
    if len(commands) != 1 or commands[0].name not in ("fileinto", "keep"):
        return False
    tags = {argument.name for argument in commands[0].arguments if isinstance(argument, Tag)}
    return tags <= {":create", ":specialuse"}


class Reached(Generic[Item]):
    """Things by their steps; those in other branches of one if are passed over."""

    def __init__(self) -> None:
        self._by_chain: dict[int, dict[int, list[tuple[Step, Item]]]] = {}

    def add(self, step: Step, item: Item) -> None:
        """Keep a thing, unless nothing is reached behind its step."""
        if not step.stops:
            chain, number = _first(step)
            self._by_chain.setdefault(chain, {}).setdefault(number, []).append((step, item))

    def before(self, step: Step, at: int) -> list[Item]:
        """The things whose steps may have been reached before.

        Raises RefusedError where there are more than a rule can name.
        """
        own = _first(step)
        items: list[Item] = []
        for chain, by_number in self._by_chain.items():
            groups = [by_number.get(own[1], [])] if chain == own[0] else by_number.values()
            for group in groups:
                items += [
                    item for other, item in group if other is not step and other.leads_to(step)
                ]
                if len(items) > MOST_CONDITIONS:
                    raise RefusedError(at, TOO_MANY)
        return items


def _first(step: Step) -> tuple[int, int]:
    if not step.branches:
        return 0, 0
    return step.branches[0].chain, step.branches[0].number


def held_by(branches: Sequence[Branch]) -> AnyTest:
    """The condition of branches inside each other, as one test."""
    tests: list[AnyTest] = []
    for branch in branches:
        tests += branch.when.all if isinstance(branch.when, AllGroup) else [branch.when]
        if branch.unless:
            tests.append(NotGroup(not_=any_of(branch.unless)))
    tests = [test for test in tests if not isinstance(test, Always)] or tests[:1]
    if not tests:
        return Always(always=True)
    return tests[0] if len(tests) == 1 else AllGroup(all=tuple(tests))


def any_of(tests: Sequence[AnyTest]) -> AnyTest:
    """At least one of them."""
    return tests[0] if len(tests) == 1 else AnyGroup(any=tuple(tests))


def steps_of(commands: Sequence[Command], reader: Reader) -> tuple[Step, ...]:
    """The steps of a script, in its order."""
    return tuple(_Walker(reader).steps(commands, (), ()))


class _Walker:
    def __init__(self, reader: Reader) -> None:
        self._reader = reader
        self._chains = self._places = 0

    def steps(
        self, commands: Sequence[Command], branches: tuple[Branch, ...], above: tuple[str, ...]
    ) -> Iterator[Step]:
        run: list[Command] = []
        unless: list[AnyTest] = []
        chain = number = 0
        places = True
        for command in commands:
            if command.block is None:
                run.append(command)
                if command.name == "stop":
                    break  # nothing behind it in this block is ever reached
                continue
            yield from self._run(run, branches, above)
            run = []
            if command.name == "if":
                self._chains += 1
                chain, unless, number, places = self._chains, [], 0, True
            number += 1
            self._reader.notes = Notes()
            test = self._reader.test(command.tests[0]) if command.tests else Always(always=True)
            why = tuple(self._reader.notes.why)
            excluded = tuple(unless[: MOST_CONDITIONS + 1])  # more are refused anyway
            branch = Branch(chain, number, test, excluded, why, places)
            places = places and only_files(command.block)
            yield from self.steps(command.block, (*branches, branch), command.comments)
            if not any(inner.name == "stop" for inner in command.block):
                unless.append(test)
        yield from self._run(run, branches, above)

    def _run(
        self, run: Sequence[Command], branches: tuple[Branch, ...], above: tuple[str, ...]
    ) -> Iterator[Step]:
        commands = tuple(command for command in run if command.name != "require")
        if commands:
            self._places += 1
            yield Step(self._places, branches, commands, commands[0].comments or above)
