"""A script in our form with variables, known again by its shape: rules decide, and the end acts."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from mnemic.core.actions import FORWARD_MARK
from mnemic.core.rules import Always, AnyTest
from mnemic.core.sieve.reading.arguments import sorted_arguments
from mnemic.core.sieve.reading.conditions import Reader
from mnemic.core.sieve.reading.deeds import action_of_flag, place_named, place_of, reply_of
from mnemic.core.sieve.reading.refusals import Notes, RefusedError
from mnemic.core.sieve.reading.rules import Made, copy_action, place_action
from mnemic.core.sieve.syntax import Command, Strings, Test, tests_in, with_strings
from mnemic.core.sieve.writing.kind_tests import KIND, kind_settings, kinds_decided
from mnemic.core.sieve.writing.owner_tests import FIRST, SENDER, first_decided
from mnemic.core.sieve.writing.remembering import INBOX_PLACE, PLACE, STOPPED
from mnemic.core.sieve.writing.script import sender_decided

__all__ = ["own_rules", "remembers", "without_preludes"]

#: The place, and the variable, of a folder that is held by name.
_FOLDER = "folder"

#: Variables that stand for a test each, and remember nothing of what rules decide.
_DECIDED_FIRST = ((f"${{{KIND}}}",), (f"${{{FIRST}}}",))

_NOT_OURS = "no rule can say it: variables are read only in the form that is written here"


def without_preludes(commands: Sequence[Command]) -> tuple[tuple[Command, ...], frozenset[str]]:
    """The commands without those that set the variables of kinds, senders and ``$``.

    Also the names of the first ones that are set as we do; marks of forwards are taken away.
    """
    rest = [command for command in commands if command.name != "require"]
    dollar = Command("set", (Strings(("dollar",)), Strings(("$",))))
    if rest and rest[0] == dollar:
        rest = [_with_dollar(command) for command in rest[1:]]
    names: set[str] = set()
    for name, prelude in _preludes():
        if tuple(rest[: len(prelude)]) == prelude:
            rest = rest[len(prelude) :]
            names.add(name)
    return tuple(_unmarked(command) for command in rest), frozenset(names)


def _preludes() -> Iterator[tuple[str, tuple[Command, ...]]]:
    for setting in kind_settings():
        yield KIND, tuple(map(_plain, kinds_decided(setting)))
    yield FIRST, (_plain(sender_decided()), _plain(first_decided()))
    yield SENDER, (_plain(sender_decided()),)  # as it was written once


def _plain(command: Command) -> Command:
    """A command as it is read: no references, which are strings like others there."""
    return with_strings(command, lambda one: Strings(one.values, one.listed))


def _with_dollar(command: Command) -> Command:
    def changed(one: Strings) -> Strings:
        return replace(one, values=tuple(value.replace("${dollar}", "$") for value in one.values))

    return with_strings(command, changed)


def _unmarked(command: Command) -> Command:
    """A command without the tests for the mark of forwards, which ours make by themselves."""
    if command.block is None:
        return command
    block: list[Command] = []
    for inside in command.block:
        block += (inside.block or ()) if _asks_for_mark(inside) else (_unmarked(inside),)
    return replace(command, block=tuple(block))


def _asks_for_mark(command: Command) -> bool:
    if command.name != "if" or not command.tests or command.tests[0].name != "not":
        return False
    asked = command.tests[0].tests[0]
    return asked.name == "header" and FORWARD_MARK in sorted_arguments(asked).strings(0)


def remembers(commands: Sequence[Command]) -> bool:
    """Whether variables are set or asked for."""
    return any(
        command.name == "set"
        or any(
            test.name == "string" and sorted_arguments(test).strings(0) not in _DECIDED_FIRST
            for test in tests_in(command.tests)
        )
        or remembers(command.block or ())
        for command in commands
    )


def _asked(test: Test) -> tuple[str, str]:
    """The variable that a test asks for, and the value."""
    if test.name != "string":
        return "", ""
    arguments = sorted_arguments(test)
    names, values = arguments.strings(0), arguments.strings(1)
    if arguments.match != ":is" or len(names) != 1 or len(values) != 1:
        return "", ""
    return names[0].removeprefix("${").removesuffix("}"), values[0]


def _set(command: Command) -> tuple[str, str]:
    """The variable that a command sets, and its value."""
    arguments = sorted_arguments(command)
    if arguments.tags:
        raise RefusedError(command.at, f"set: {_NOT_OURS}")
    return arguments.strings(0)[0], arguments.strings(1)[0]


@dataclass
class _Acting:
    """What the end of the script does: by values of the place, and by variables of copies."""

    places: dict[str, Command] = field(default_factory=dict)
    copies: dict[str, Command] = field(default_factory=dict)


def own_rules(
    commands: Sequence[Command], reader: Reader, labels: Mapping[str, str]
) -> tuple[list[Made], list[RefusedError]]:
    """The rules of a script in our form with variables, and what of it is not in that form."""
    refused: list[RefusedError] = []
    acting = _Acting()
    deciding: list[Command] = []
    for command in commands:
        variable, value = _asked(command.tests[0]) if command.tests else ("", "")
        single = command.block[0] if command.block and len(command.block) == 1 else None
        if variable == PLACE and single is not None and single.name in ("fileinto", "keep"):
            acting.places[value] = single
        elif variable.startswith("copy_") and single is not None and single.name == "fileinto":
            acting.copies[variable] = single
        elif command.name == "keep" or (command.name == "else" and single == Command("keep")):
            continue
        elif command.name == "if" and command.block is not None:
            deciding.append(command)
        else:
            refused.append(RefusedError(command.at, f"{command.name}: {_NOT_OURS}"))
    reading = _Reading(reader, labels, acting, _flags_by_variable(deciding))
    made = []
    for command in deciding:
        try:
            made.append(reading.rule(command))
        except RefusedError as error:
            refused.append(error)
    return made, refused


def _flags_by_variable(commands: Sequence[Command]) -> dict[str, str]:
    """Which flag each variable stands for: it is put on where the variable is set."""
    flags = {"seen": "\\Seen", "flagged": "\\Flagged"}
    for command in commands:
        for inside in command.block or ():
            added = [inner for inner in inside.block or () if inner.name == "addflag"]
            if added and inside.tests:
                flags[_asked(inside.tests[0])[0]] = sorted_arguments(added[0]).strings(0)[0]
    return flags


class _Reading:
    def __init__(
        self,
        reader: Reader,
        labels: Mapping[str, str],
        acting: _Acting,
        flags: Mapping[str, str],
    ) -> None:
        self._reader, self._labels, self._acting, self._flags = reader, labels, acting, flags

    def rule(self, command: Command) -> Made:
        """One rule: its condition, and what it decides."""
        self._reader.notes = Notes()
        when = self._when(command.tests[0])
        why = list(self._reader.notes.why)
        made = Made(command.at, command.comments, when, why=why)
        for inside in command.block or ():
            self._decides(made, inside)
        if not made.then:
            made.then.append({"do": "keep"})
        return made

    def _when(self, test: Test) -> AnyTest:
        """The condition without the question whether a rule has stopped."""
        tests = test.tests if test.name == "allof" else (test,)
        if tests[0].name == "not" and _asked(tests[0].tests[0])[0] == STOPPED:
            tests = tests[1:]
        if not tests:
            return Always(always=True)
        return self._reader.test(replace(test, tests=tests) if len(tests) > 1 else tests[0])

    def _decides(self, made: Made, command: Command) -> None:
        if command.name == "if" and len(command.tests) == 1 and _asked(command.tests[0])[1] == "":
            first, *others = command.block or (Command("set"),)
            if first.name != "set" or _asked(command.tests[0])[0] != _set(first)[0]:
                raise RefusedError(command.at, f"if: {_NOT_OURS}")
            if _set(first) == (PLACE, _FOLDER) and len(others) == 1:
                self._file_by_name(made, others[0])
                return
            for inside in others:
                self._decides(made, inside)
            if not others:
                self._remember(made, first)
        elif command.name == "set":
            self._remember(made, command)
        else:
            made.then += self._at_once(command)

    def _file_by_name(self, made: Made, command: Command) -> None:
        """A folder whose name a variable of its own holds."""
        variable, folder = _set(command) if command.name == "set" else ("", "")
        if variable != _FOLDER or _FOLDER not in self._acting.places:
            raise RefusedError(command.at, f"{command.name}: {_NOT_OURS}")
        made.then.append(place_action(*place_named(folder)))

    def _remember(self, made: Made, command: Command) -> None:
        variable, value = _set(command)
        if variable == STOPPED:
            made.stop = True
        elif variable == PLACE and value in (INBOX_PLACE, *self._acting.places):
            place = self._acting.places.get(value, Command("keep"))
            made.then.append(place_action(*place_of(place)))
        elif variable in self._acting.copies:
            made.then.append(copy_action(place_of(self._acting.copies[variable])[0]))
        elif variable in self._flags:
            made.then.append(action_of_flag(self._flags[variable], self._labels, put=False))
        else:
            raise RefusedError(command.at, f"set: {_NOT_OURS}")

    def _at_once(self, command: Command) -> Iterator[dict[str, Any]]:
        arguments = sorted_arguments(command)
        if command.name == "addflag" and len(arguments.plain) == 1:
            for flag in arguments.strings(0):
                yield action_of_flag(flag, self._labels, put=True)
        elif command.name == "redirect":
            yield {"do": "forward", "to": [arguments.strings(0)[0]]}
        elif command.name == "vacation":
            yield reply_of(command)
        else:
            raise RefusedError(command.at, f"{command.name}: {_NOT_OURS}")
