"""Whether a script says what its commands allow: arguments, order, and ``require``."""

from collections.abc import Iterator, Sequence

from mnemic.core.sieve.syntax import Argument, Command, Number, Strings, Tag, Test
from mnemic.core.sieve.vocabulary import (
    CAPABILITIES,
    COMMANDS,
    COMPARATORS,
    NOT_FOR_RULES,
    TESTS,
    Form,
    Kind,
)

__all__ = ["needed_by", "problems_of", "sound_tests"]

_ARTICLES: dict[Kind, str] = {
    "string": "a string",
    "strings": "a string or a list of strings",
    "number": "a number",
}


def problems_of(commands: Sequence[Command], *, whole: bool = True) -> Iterator[tuple[int, str]]:
    """What is wrong in a script that the grammar allows: where, in characters, and why.

    Where some of it could not be read (not ``whole``), nothing is said of what is not required.
    """
    yield from _requires(commands)
    required = _required(commands) if whole else CAPABILITIES
    yield from _in_block(commands, required, top=True)


def sound_tests(commands: Sequence[Command]) -> Iterator[Test]:
    """The tests of commands that have nothing wrong."""
    for command in commands:
        for test in command.tests:
            if not any(_of_test(test, CAPABILITIES)):
                yield test
        yield from sound_tests(command.block or ())


def _required(commands: Sequence[Command]) -> frozenset[str]:
    return frozenset(
        value
        for command in commands
        if command.name == "require"
        for argument in command.arguments
        if isinstance(argument, Strings)
        for value in argument.values
    )


def _requires(commands: Sequence[Command]) -> Iterator[tuple[int, str]]:
    """Only at the beginning (RFC 5228, section 3.2), and of what is known."""
    begun = False
    for command in commands:
        if command.name != "require":
            begun = True
            continue
        if begun:
            yield command.at, "require has to stand before all other commands; move it up"
        for argument in command.arguments:
            for value in argument.values if isinstance(argument, Strings) else ():
                if value not in CAPABILITIES:
                    yield argument.at, f"“{value}” is required, but no rule can say what it does"


def _in_block(
    commands: Sequence[Command], required: frozenset[str], *, top: bool = False
) -> Iterator[tuple[int, str]]:
    before = ""
    for command in commands:
        if command.name in ("elsif", "else") and before not in ("if", "elsif"):
            yield command.at, f"{command.name} has to follow the block of an if or an elsif"
        if command.name == "require" and not top:
            yield command.at, "require has to stand at the beginning of the script"
        before = command.name
        form = COMMANDS.get(command.name)
        if form is None:
            yield command.at, _unknown(command.name, "command")
        else:
            yield from _of_form(command, form, required)
            if form.block != (command.block is not None):
                wanted = "a block in { }" if form.block else "no block, but ;"
                yield command.at, f"{command.name} has to end with {wanted}"
        for test in command.tests:
            yield from _of_test(test, required)
        yield from _in_block(command.block or (), required)


def _unknown(name: str, what: str) -> str:
    if name in NOT_FOR_RULES:
        return f"{name}: no rule can say it: {NOT_FOR_RULES[name]}"
    other = {"command": TESTS, "test": COMMANDS}[what]
    if name in other:
        return f"{name} is a {'test' if what == 'command' else 'command'}; it can’t stand here"
    return f"“{name}” is no {what} that is known"


def _of_test(test: Test, required: frozenset[str]) -> Iterator[tuple[int, str]]:
    form = TESTS.get(test.name)
    if form is None:
        yield test.at, _unknown(test.name, "test")
    else:
        yield from _of_form(test, form, required)
    for inside in test.tests:
        yield from _of_test(inside, required)


def _of_form(
    piece: Command | Test, form: Form, required: frozenset[str]
) -> Iterator[tuple[int, str]]:
    missing = sorted(needed_by(piece) - required)
    if missing:
        listed = '", "'.join(missing)
        yield piece.at, f'{piece.name} needs require ["{listed}"]; at the beginning of the script'
    yield from _of_arguments(piece, form)
    count = len(piece.tests)
    if form.tests == "none" and count:
        yield piece.tests[0].at, f"{piece.name} takes no test"
    elif form.tests == "one" and count != 1:
        yield piece.at, f"{piece.name} takes one test, not {count or 'none'}"
    elif form.tests == "several" and not count:
        yield piece.at, f"{piece.name} needs a list of tests in ( )"


def _of_arguments(piece: Command | Test, form: Form) -> Iterator[tuple[int, str]]:
    groups: dict[str, str] = {}
    plain: list[Argument] = []
    arguments = iter(piece.arguments)
    for argument in arguments:
        if not isinstance(argument, Tag):
            plain.append(argument)
            continue
        if plain:
            yield argument.at, f"{argument.name} has to stand before the other arguments"
        yield from _of_tag(piece, form, argument, groups)
        tag = form.tags.get(argument.name)
        if tag is not None and tag.follows is not None:
            value = next(arguments, None)
            if not _fits(value, tag.follows):
                yield argument.at, f"{argument.name} needs {_ARTICLES[tag.follows]} behind it"
            elif argument.name == ":comparator" and _only(value) not in COMPARATORS:
                yield argument.at, f"“{_only(value)}” is no comparator that is known"
    if form.one_of and form.one_of not in groups:
        tags = [name for name, tag in form.tags.items() if tag.group == form.one_of]
        yield piece.at, f"{piece.name} needs {' or '.join(tags)}"
    yield from _of_plain(piece, form, plain)


def _of_tag(
    piece: Command | Test, form: Form, tag: Tag, groups: dict[str, str]
) -> Iterator[tuple[int, str]]:
    known = form.tags.get(tag.name)
    if known is None:
        yield tag.at, f"{piece.name} has no argument {tag.name}"
        return
    group = known.group or tag.name
    if group in groups:
        twice = groups[group] == tag.name
        beside = "twice" if twice else f"beside {groups[group]}"
        yield tag.at, f"{tag.name} can’t stand {beside}; keep one of them"
    groups.setdefault(group, tag.name)


def _of_plain(
    piece: Command | Test, form: Form, plain: Sequence[Argument]
) -> Iterator[tuple[int, str]]:
    wanted = form.arguments
    if form.optional and len(plain) == len(wanted) - 1:
        wanted = wanted[1:]
    if len(plain) != len(wanted):
        asked = " and ".join(_ARTICLES[kind] for kind in wanted)
        given = f"{len(plain)} argument{'' if len(plain) == 1 else 's'}"
        needs = f"needs {asked}, not {given}" if asked else "takes no arguments"
        yield piece.at, f"{piece.name} {needs}"
        return
    for argument, kind in zip(plain, wanted, strict=True):
        if not _fits(argument, kind):
            yield argument.at, f"{piece.name} needs {_ARTICLES[kind]} here"


def _fits(argument: Argument | None, kind: Kind) -> bool:
    if kind == "number":
        return isinstance(argument, Number)
    return isinstance(argument, Strings) and (kind == "strings" or not argument.listed)


def _only(argument: Argument | None) -> str:
    assert isinstance(argument, Strings)
    return argument.values[0]


def needed_by(piece: Command | Test) -> set[str]:
    """The capabilities that a command or a test needs, without those of what stands inside."""
    forms = COMMANDS if isinstance(piece, Command) else TESTS
    form = forms.get(piece.name)
    if form is None:
        return set()
    needed = {form.needs}
    plain = 0
    arguments: Iterator[Argument] = iter(piece.arguments)
    for argument in arguments:
        if not isinstance(argument, Tag):
            plain += 1
            continue
        tag = form.tags.get(argument.name)
        if tag is None:
            continue
        needed.add(tag.needs)
        value = next(arguments, None) if tag.follows else None
        if argument.name == ":comparator" and isinstance(value, Strings):
            needed.update(COMPARATORS.get(name) for name in value.values)
    if form.optional and plain == len(form.arguments):
        needed.add("variables")
    return {capability for capability in needed if capability}
