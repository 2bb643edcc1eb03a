"""Variables that a script of ours sets and asks (RFC 5229)."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace

from mnemic.core.sieve.building import string
from mnemic.core.sieve.syntax import Argument, Command, Strings, Test, with_strings

__all__ = ["Reference", "reference", "references_in", "with_dollars"]

#: How a text says ${ where variables would be filled in.
_DOLLAR = "dollar"


@dataclass(frozen=True, slots=True)
class Reference(Strings):
    """A string that is a variable's value."""


def reference(name: str) -> Reference:
    """The value of a variable."""
    return Reference((f"${{{name}}}",))


def references_in(commands: Iterable[Command]) -> Iterator[str]:
    """The names of the variables that commands ask for."""
    for command in commands:
        yield from _of(command.arguments)
        for test in command.tests:
            yield from _in_test(test)
        yield from references_in(command.block or ())


def _in_test(test: Test) -> Iterator[str]:
    yield from _of(test.arguments)
    for inside in test.tests:
        yield from _in_test(inside)


def _of(arguments: Iterable[Argument]) -> Iterator[str]:
    for argument in arguments:
        if isinstance(argument, Reference):
            yield argument.values[0][2:-1]


def with_dollars(commands: Iterable[Command]) -> tuple[Command, ...]:
    """Commands of which no text is taken for a variable; what is needed for it stands first."""
    before = tuple(commands)
    after = tuple(with_strings(command, _with_dollars) for command in before)
    if after == before:
        return before
    return Command("set", (string(_DOLLAR), string("$"))), *after


def _with_dollars(strings: Strings) -> Strings:
    if isinstance(strings, Reference):
        return strings
    values = tuple(value.replace("${", f"${{{_DOLLAR}}}{{") for value in strings.values)
    return replace(strings, values=values)
