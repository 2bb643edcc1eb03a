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


def _joined(name: str, tests: Iterable[Test]) -> Test:
    """Tests in one group; groups of the same name inside are opened."""
    flat: list[Test] = []
    for test in tests:
        flat += test.tests if test.name == name else (test,)
    return flat[0] if len(flat) == 1 else Test(name, (), tuple(flat))


def allof(*tests: Test) -> Test:
    """Every one of them."""
    return _joined("allof", tests)


def anyof(*tests: Test) -> Test:
    """At least one of them."""
    return _joined("anyof", tests)


def not_(test: Test) -> Test:
    """The answer turned round."""
    return test.tests[0] if test.name == "not" else Test("not", (), (test,))


def if_(test: Test, block: Iterable[Command], name: str = "if") -> Command:
    """A command with a block: if, or elsif."""
    return Command(name, (), (test,), tuple(block))


def add_flag(flag: str) -> Command:
    """A flag, or a keyword, is set (RFC 5232, section 3.2)."""
    return Command("addflag", (string(flag),))
