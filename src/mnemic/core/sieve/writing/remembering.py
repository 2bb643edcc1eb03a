"""The form with variables (RFC 5229): rules decide, and the end of the script acts."""

from collections.abc import Callable, Hashable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field

from mnemic.core.sieve.building import allof, if_, not_, string
from mnemic.core.sieve.syntax import Command, Tag, Test
from mnemic.core.sieve.writing.deeds import KEEP, Deed
from mnemic.core.sieve.writing.parts import Part
from mnemic.core.sieve.writing.references import reference
from mnemic.core.sieve.writing.setting import Setting

__all__ = ["INBOX_PLACE", "PLACE", "STOPPED", "can_remember", "with_variables"]

#: The variables that say where a message goes, and that no later rule is tried.
PLACE, STOPPED = "place", "stop"

#: What ``place`` is where a message stays in the inbox.
INBOX_PLACE = "inbox"

#: Variables of a script; 128 are promised (RFC 5229, section 6), and some are for kinds and such.
_MOST_VARIABLES = 100

_ON = "1"


def can_remember(parts: Sequence[Part], contested: frozenset[Hashable], setting: Setting) -> bool:
    """Whether the server has variables, and enough of them."""
    if not setting.can("variables"):
        return False
    remembered = {
        deed.claim
        for part in parts
        for deed in part.deeds
        if deed.claim in contested or deed.kind == "copy"
    }
    return len(remembered) < _MOST_VARIABLES


def _is(variable: str, value: str) -> Test:
    return Test("string", (Tag(":is"), reference(variable), string(value)))


def _set(variable: str, value: str = _ON) -> Command:
    return Command("set", (string(variable), string(value)))


@dataclass
class _Numbered:
    """Things of one sort, numbered in the order in which they come."""

    stem: str
    numbers: dict[Hashable, str] = field(default_factory=dict)

    def name(self, thing: Hashable) -> str:
        number = len(self.numbers) + 1
        return self.numbers.setdefault(thing, f"{self.stem}{number}")


class _Writer:
    def __init__(self, contested: frozenset[Hashable]) -> None:
        self._contested = contested
        self._copies = _Numbered("copy_")
        self._places = _Numbered("")
        self._labels = _Numbered("label_")
        self._forwards = _Numbered("forward_")
        self.copied: dict[str, Command] = {}
        self.placed: dict[str, Command] = {}
        self._decide: dict[str, Callable[[Deed], Iterator[Command]]] = {
            "flag": self._at_once,
            "send": self._at_once,
            "bar": self._bar,
            "copy": self._copy,
            "place": self._place,
        }

    def block(self, part: Part) -> tuple[Command, ...]:
        """What a rule decides."""
        commands = [command for deed in part.deeds for command in self._decide[deed.kind](deed)]
        if part.stops:
            commands.append(_set(STOPPED))
        return tuple(commands)

    def _variable(self, deed: Deed) -> str:
        if isinstance(deed.claim, tuple):
            numbered = {"label": self._labels, "forward": self._forwards}[deed.claim[0]]
            return numbered.name(deed.claim)
        return {"reply": "replied"}.get(str(deed.claim), str(deed.claim))

    def _at_once(self, deed: Deed) -> Iterator[Command]:
        assert deed.command is not None
        if deed.claim not in self._contested:
            yield deed.command
        else:
            yield _once(self._variable(deed), _ON, deed.command)

    def _bar(self, deed: Deed) -> Iterator[Command]:
        if deed.claim in self._contested:
            yield _set(self._variable(deed))

    def _copy(self, deed: Deed) -> Iterator[Command]:
        assert deed.command is not None
        variable = self._copies.name(deed.claim)
        self.copied.setdefault(variable, deed.command)
        yield _set(variable)

    def _place(self, deed: Deed) -> Iterator[Command]:
        assert deed.command is not None
        value = INBOX_PLACE if deed.command == KEEP else self._places.name(deed.command)
        if deed.command != KEEP:
            self.placed.setdefault(value, deed.command)
        contested = deed.claim in self._contested
        yield _once(PLACE, value) if contested else _set(PLACE, value)


def _once(variable: str, value: str, *commands: Command) -> Command:
    """What is done unless an earlier rule has."""
    return if_(_is(variable, ""), (_set(variable, value), *commands))


def with_variables(
    parts: Iterable[Part], contested: frozenset[Hashable]
) -> Iterator[tuple[Part | None, Command]]:
    """The commands of each rule, and at the end those that act, when all flags are set."""
    writer = _Writer(contested)
    stopping = False
    for part in parts:
        block = writer.block(part)
        assert part.test is not None  # it is written
        going_on = not_(_is(STOPPED, _ON))
        pieces = part.test.tests if part.test.name == "allof" else (part.test,)
        if block:
            yield part, if_(allof(going_on, *pieces) if stopping else part.test, block)
        stopping = stopping or part.stops
    for variable, command in writer.copied.items():
        yield None, if_(_is(variable, _ON), (command,))
    begun = False
    for value, command in writer.placed.items():
        yield None, if_(_is(PLACE, value), (command,), "elsif" if begun else "if")
        begun = True
    yield None, Command("else", (), (), (KEEP,)) if begun else KEEP
