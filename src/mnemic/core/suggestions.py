"""What may stand next in Find: prefixes, and the values that a prefix can have."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from mnemic.core.search import PREFIXES, SearchTerm, quoted, search_terms

__all__ = ["Suggestion", "suggestions", "term_at"]

#: As many as can be looked over at a glance.
_LIMIT = 9


@dataclass(frozen=True, slots=True)
class Suggestion:
    """Text that takes the place of characters ``start`` to ``end``, and what it means.

    ``words`` is what people call it, where that is something else.
    """

    start: int
    end: int
    text: str
    meaning: str
    words: str = ""


def term_at(text: str, caret: int) -> SearchTerm:
    """The term in which the caret stands; an empty one where it stands in none."""
    for term in search_terms(text):
        if term.start <= caret <= term.end:
            return term
    return SearchTerm(caret, caret, False, "", "")


def suggestions(
    text: str, caret: int, values: Mapping[str, Iterable[tuple[str, str]]]
) -> list[Suggestion]:
    """What may stand where the caret is.

    ``values`` are values with their meaning, by prefix; those a prefix has by itself are known.
    """
    term = term_at(text, caret)
    minus = "-" if term.minus else ""
    typed = term.value.casefold()
    if term.prefix:
        choices = PREFIXES[term.prefix].choices
        offered = [(value, "", words) for value, words in choices.items()]
        offered += [(*offer, "") for offer in values.get(term.prefix, ())]
        suggested = [
            Suggestion(
                term.start, term.end, f"{minus}{term.prefix}:{quoted(value)} ", meaning, called
            )
            for value, meaning, called in offered
            if typed in f"{value} {meaning} {called}".casefold() and typed != value.casefold()
        ]
    else:
        suggested = [
            Suggestion(term.start, term.end, f"{minus}{prefix.name}:", prefix.meaning)
            for prefix in PREFIXES.values()
            if prefix.name.startswith(typed)
        ]
    return suggested[:_LIMIT]
