"""The arguments of a command or a test, sorted: tags by name, and what stands behind them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from mnemic.core.sieve.syntax import Argument, Command, Number, Strings, Tag, Test
from mnemic.core.sieve.vocabulary import COMMANDS, MATCH_TYPES, TESTS

__all__ = ["Sorted", "sorted_arguments"]


@dataclass(frozen=True, slots=True)
class Sorted:
    """``tags`` by name, with the argument that follows each, or None; ``plain`` are the others."""

    at: int
    tags: Mapping[str, Argument | None]
    plain: Sequence[Argument]

    @property
    def match(self) -> str:
        """The match type; ``:is`` where none is said (RFC 5228, section 2.7.1)."""
        return next((tag for tag in self.tags if tag in MATCH_TYPES), ":is")

    def one_of(self, *names: str) -> str | None:
        """The first of these tags that is there."""
        return next((name for name in names if name in self.tags), None)

    def text(self, tag: str) -> str | None:
        """The string that follows a tag, or None where the tag is not there."""
        value = self.tags.get(tag)
        return value.values[0] if isinstance(value, Strings) else None

    def number(self, tag: str) -> int | None:
        """The number that follows a tag, or None where the tag is not there."""
        value = self.tags.get(tag)
        return value.value if isinstance(value, Number) else None

    def strings(self, place: int) -> tuple[str, ...]:
        """The strings of one of the arguments that are no tags, counted from 0."""
        argument = self.plain[place]
        assert isinstance(argument, Strings)  # the script was checked
        return argument.values


def sorted_arguments(piece: Command | Test) -> Sorted:
    """The arguments of a piece of a script that was checked."""
    forms = COMMANDS if isinstance(piece, Command) else TESTS
    tags: dict[str, Argument | None] = {}
    plain: list[Argument] = []
    arguments = iter(piece.arguments)
    for argument in arguments:
        if isinstance(argument, Tag):
            follows = forms[piece.name].tags[argument.name].follows
            tags[argument.name] = next(arguments) if follows else None
        else:
            plain.append(argument)
    return Sorted(piece.at, tags, plain)
