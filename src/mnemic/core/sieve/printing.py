"""A script's tree as text, for people to read. Lines end with CRLF (RFC 5228, section 2.1)."""

import re
from collections.abc import Iterable, Sequence

from mnemic.core.sieve.syntax import Command, Number, Strings, Tag, Test

__all__ = ["LINE_END", "printed"]

LINE_END = "\r\n"

#: Characters of a line; what is longer is broken where the grammar allows it.
_WIDE = 100

_GROUPS = ("allof", "anyof")
_ANY_LINE_END = re.compile(r"\r\n|\r|\n")
_UNITS = ((2**30, "G"), (2**20, "M"), (2**10, "K"))


def printed(commands: Iterable[Command]) -> str:
    """The text of commands, each with the comments that stand before it."""
    return "".join(f"{line}{LINE_END}" for line in _commands(commands, ""))


def _commands(commands: Iterable[Command], indent: str) -> list[str]:
    lines: list[str] = []
    for command in commands:
        lines += [f"{indent}#{comment}" if comment else "" for comment in command.comments]
        if not command.name:
            continue
        written = _command(command, indent)
        if command.name in ("elsif", "else") and lines and lines[-1].strip() == "}":
            written[0] = f"{lines.pop()} {written[0].strip()}"
        lines += written
    return lines


def _command(command: Command, indent: str) -> list[str]:
    lines = _with_tests(command, indent)
    if command.block is None:
        lines[-1] += ";"
        return lines
    inside = _commands(command.block, f"{indent}  ")
    one_line = f"{lines[-1]} {{ {inside[0].strip() if inside else ''} }}".replace("{  }", "{ }")
    simple = (
        len(inside) <= 1 and len(lines) == 1 and not any(inner.block for inner in command.block)
    )
    if simple and len(one_line) <= _WIDE and "\n" not in one_line:
        return [one_line]
    lines[-1] += " {"
    return [*lines, *inside, f"{indent}}}"]


def _with_tests(piece: Command | Test, indent: str) -> list[str]:
    """A command or a test, with its tests on the same line if they have room there."""
    if not piece.tests:
        return _in_width(_words(piece), indent)
    if piece.name not in _GROUPS:
        inside = _with_tests(piece.tests[0], indent)
        return [f"{indent}{' '.join(_words(piece))} {inside[0].removeprefix(indent)}", *inside[1:]]
    if _may_be_short(piece, _WIDE - len(indent)):
        one_line = f"{indent}{_in_one_line(piece)}"
        if len(one_line) <= _WIDE:
            return [one_line]
    lines = [f"{indent}{piece.name} ("]
    for test in piece.tests:
        lines += _with_tests(test, f"{indent}    ")
        lines[-1] += ","
    lines[-1] = f"{lines[-1][:-1]})"
    return lines


def _may_be_short(piece: Command | Test, room: int) -> bool:
    """Whether the texts alone leave a piece room on one line: told before it is laid out."""
    return _room_left(piece, room) >= 0


def _room_left(piece: Command | Test, room: int) -> int:
    room -= len(piece.name)
    for argument in piece.arguments:
        if isinstance(argument, Strings):
            room -= sum(map(len, argument.values)) + 3 * len(argument.values)
    for test in piece.tests:
        if room < 0:
            break
        room = _room_left(test, room)
    return room


def _in_one_line(piece: Command | Test) -> str:
    head = " ".join(_words(piece))
    if not piece.tests:
        return head
    inside = ", ".join(map(_in_one_line, piece.tests))
    return f"{head} ({inside})" if piece.name in _GROUPS else f"{head} {inside}"


def _in_width(words: Sequence[str], indent: str) -> list[str]:
    """Words on as few lines as there is room for them."""
    lines = [f"{indent}{words[0]}"]
    for word in words[1:]:
        if len(lines[-1]) + 1 + len(word) > _WIDE and "\n" not in word:
            lines.append(f"{indent}    {word}")
        else:
            lines[-1] += f" {word}"
    return lines


def _words(piece: Command | Test) -> list[str]:
    """The name and its arguments, in words between which a line may be broken."""
    words = [piece.name]
    for argument in piece.arguments:
        match argument:
            case Tag():
                words.append(argument.name)
            case Number():
                words.append(_number(argument.value))
            case Strings():
                words += _listed(argument)
    return words


def _listed(strings: Strings) -> list[str]:
    quoted = [_quoted(value) for value in strings.values]
    if not strings.listed:
        return quoted
    separated = [*(f"{text}," for text in quoted[:-1]), f"{quoted[-1]}]"]
    return [f"[{separated[0]}", *separated[1:]]


def _number(value: int) -> str:
    for unit, letter in _UNITS:
        if value and value % unit == 0:
            return f"{value // unit}{letter}"
    return str(value)


def _quoted(value: str) -> str:
    """A quoted string; its line ends are those of the script."""
    if "\\" in value or '"' in value:
        value = value.replace("\\", "\\\\").replace('"', '\\"')
    if "\n" in value or "\r" in value:
        value = _ANY_LINE_END.sub(LINE_END, value)
    return f'"{value}"'
