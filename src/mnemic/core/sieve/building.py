"""Pieces of scripts, made by name."""

from collections.abc import Iterable, Sequence

from mnemic.core.sieve.syntax import Argument, Command, Strings, Tag, Test

__all__ = [
    "FALSE",
    "STOP",
    "TRUE",
    "add_flag",
    "allof",
    "anyof",
    "compared",
    "if_",
    "not_",
    "one_or_list",
    "opened",
    "string",
]

TRUE = Test("true")
FALSE = Test("false")
STOP = Command("stop")


def string(value: str) -> Strings:
    """One string."""
    return Strings((value,))


def one_or_list(values: Iterable[str]) -> Strings:
    """A string, or a list where there are several."""
    several = tuple(dict.fromkeys(values))
    return Strings(several, listed=len(several) != 1)


def compared(
    name: str,
    match: str,
    keys: Iterable[str],
    *,
    of: Sequence[str] = (),
    tags: Sequence[Argument] = (),
    comparator: str | None = None,
) -> Test:
    """A test that compares: ``of`` are the header fields, ``tags`` what stands first."""
    arguments: list[Argument] = [*tags]
    if comparator is not None:
        arguments += [Tag(":comparator"), string(comparator)]
    arguments.append(Tag(match))
    if of:
        arguments.append(one_or_list(of))
    return Test(name, (*arguments, one_or_list(keys)))


def allof(*tests: Test) -> Test:
    """Every one of them."""
    return tests[0] if len(tests) == 1 else Test("allof", (), tests)


def anyof(*tests: Test) -> Test:
    """At least one of them."""
    return tests[0] if len(tests) == 1 else Test("anyof", (), tests)


def opened(*tests: Test) -> Test:
    """Every one of them, the first in pieces where it is a group itself."""
    first, *others = tests
    inside = first.tests if first.name == "allof" else (first,)
    return allof(*inside, *others)


def not_(test: Test) -> Test:
    """The answer turned round."""
    return test.tests[0] if test.name == "not" else Test("not", (), (test,))


def if_(test: Test, block: Iterable[Command], name: str = "if") -> Command:
    """A command with a block: if, or elsif."""
    return Command(name, (), (test,), tuple(block))


def add_flag(flag: str) -> Command:
    """A flag, or a keyword, is set (RFC 5232, section 3.2)."""
    return Command("addflag", (string(flag),))
