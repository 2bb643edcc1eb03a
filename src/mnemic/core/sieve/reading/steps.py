"""A script as steps: runs of commands, each with the branches that lead to it.

A block's own commands are one step as long as no other block stands between them. A step is reached
where the conditions of its branches hold and no step before it has stopped.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from mnemic.core.rules import AllGroup, Always, AnyGroup, AnyTest, NotGroup
from mnemic.core.sieve.reading.conditions import Reader
from mnemic.core.sieve.reading.refusals import Notes
from mnemic.core.sieve.syntax import Command

__all__ = ["Branch", "Step", "any_of", "held_by", "steps_of"]


@dataclass(frozen=True, slots=True)
class Branch:
    """One branch of an if: which of them, its condition, and what the branches before exclude."""

    chain: int
    number: int
    when: AnyTest
    unless: tuple[AnyTest, ...]
    why: tuple[str, ...] = ()


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
                chain, unless, number = self._chains, [], 0
            number += 1
            self._reader.notes = Notes()
            test = self._reader.test(command.tests[0]) if command.tests else Always(always=True)
            why = tuple(self._reader.notes.why)
            branch = Branch(chain, number, test, tuple(unless), why)
            yield from self.steps(command.block, (*branches, branch), command.comments)
            if not any(each.name == "stop" for each in command.block):
                unless.append(test)
        yield from self._run(run, branches, above)

    def _run(
        self, run: Sequence[Command], branches: tuple[Branch, ...], above: tuple[str, ...]
    ) -> Iterator[Step]:
        commands = tuple(command for command in run if command.name != "require")
        if commands:
            self._places += 1
            yield Step(self._places, branches, commands, commands[0].comments or above)
