"""Pieces of sentences: what is said of rules, conditions and actions is put together from them."""

from collections.abc import Sequence
from dataclasses import dataclass

__all__ = ["Phrase", "joined", "listed", "merged", "spoken_path", "strong", "text_of"]


@dataclass(frozen=True, slots=True)
class Phrase:
    """A piece of a sentence; ``strong`` marks what the owner filled in."""

    text: str
    strong: bool = False


#: What stands between items that are listed.
_JOINERS = (" or ", " and ", ", ", ", or ", ", and ", " nor ")


def strong(values: Sequence[object]) -> list[list[Phrase]]:
    """Values as items to be listed."""
    return [[Phrase(str(value), strong=True)] for value in values]


def listed(items: Sequence[list[Phrase]], joiner: str) -> list[Phrase]:
    """``a``, ``a or b``, ``a, b or c``; set apart by commas where an item is joined itself."""
    joined_inside = any(phrase.text in _JOINERS for item in items for phrase in item)
    last_joiner = f", {joiner} " if joined_inside else f" {joiner} "
    phrases: list[Phrase] = []
    for position, item in enumerate(items):
        if position:
            last = position == len(items) - 1
            phrases.append(Phrase(last_joiner if last else ", "))
        phrases += item
    return phrases


def merged(phrases: Sequence[Phrase]) -> tuple[Phrase, ...]:
    """Neighbours of one kind as one phrase."""
    joined_phrases: list[Phrase] = []
    for phrase in phrases:
        if joined_phrases and joined_phrases[-1].strong == phrase.strong:
            joined_phrases[-1] = Phrase(joined_phrases[-1].text + phrase.text, phrase.strong)
        else:
            joined_phrases.append(phrase)
    return tuple(joined_phrases)


def text_of(phrases: Sequence[Phrase]) -> str:
    """Phrases as plain text."""
    return "".join(phrase.text for phrase in phrases)


def spoken_path(path: str) -> str:
    """A folder's path as people read it: "Moorings / Permits"."""
    return path.replace("/", " / ")


def joined(sayings: Sequence[str], last: str = "and") -> str:
    """``a``, ``a and b``, ``a, b and c``."""
    *others, end = sayings
    return f"{', '.join(others)} {last} {end}" if others else end
