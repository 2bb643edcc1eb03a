"""A script as a tree (RFC 5228, section 8.2): commands, tests and their arguments.

``at`` is where a piece begins in the text, in characters; it does not count where two pieces are
compared.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from typing import TypeAlias

__all__ = ["Argument", "Command", "Number", "Strings", "Tag", "Test", "tests_in", "with_strings"]


@dataclass(frozen=True, slots=True)
class Tag:
    """A tagged argument's name in small letters, with its colon."""

    name: str
    at: int = field(default=0, compare=False)


@dataclass(frozen=True, slots=True)
class Number:
    """A number; K, M and G are multiplied out (RFC 5228, section 2.4.1)."""

    value: int
    at: int = field(default=0, compare=False)


@dataclass(frozen=True, slots=True)
class Strings:
    """A string, or a list of strings where it is ``listed`` (RFC 5228, section 2.4.2.1)."""

    values: tuple[str, ...]
    listed: bool = False
    at: int = field(default=0, compare=False)


Argument: TypeAlias = Tag | Number | Strings


@dataclass(frozen=True, slots=True)
class Test:
    """A test, with the tests that stand inside it."""

    __test__ = False  # not a test class of pytest's

    name: str
    arguments: tuple[Argument, ...] = ()
    tests: tuple["Test", ...] = ()
    at: int = field(default=0, compare=False)


@dataclass(frozen=True, slots=True)
class Command:
    """A command, with its test and its block where it has them, and the comments before it."""

    name: str
    arguments: tuple[Argument, ...] = ()
    tests: tuple[Test, ...] = ()
    block: tuple["Command", ...] | None = None
    comments: tuple[str, ...] = field(default=(), compare=False)
    at: int = field(default=0, compare=False)


def tests_in(tests: tuple[Test, ...]) -> Iterator[Test]:
    """These tests and all that stand inside them, in order."""
    for test in tests:
        yield test
        yield from tests_in(test.tests)


def with_strings(command: Command, change: Callable[[Strings], Strings]) -> Command:
    """A command with its strings changed, those of its tests and its block included."""

    def argument(one: Argument) -> Argument:
        return change(one) if isinstance(one, Strings) else one

    def test(one: Test) -> Test:
        arguments, tests = tuple(map(argument, one.arguments)), tuple(map(test, one.tests))
        return replace(one, arguments=arguments, tests=tests)

    return replace(
        command,
        arguments=tuple(map(argument, command.arguments)),
        tests=tuple(map(test, command.tests)),
        block=None
        if command.block is None
        else tuple(with_strings(inside, change) for inside in command.block),
    )
