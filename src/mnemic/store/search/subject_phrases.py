"""Which messages have phrases in their subjects: many phrases in one pass over all subjects.

Where hundreds of phrases are asked about at once, one automaton over all subjects in a row takes
less time than a look into the index for a few of them (Aho and Corasick 1975).
"""

from collections import defaultdict
from collections.abc import Iterable

import ahocorasick_rs
import numpy as np
from sqlmodel import Session

from mnemic.core.text_tests import is_word_character
from mnemic.store.conditions_sql.ids import Ids
from mnemic.store.engine.driver import driver

__all__ = ["SubjectPhrases"]


class SubjectPhrases:
    """The folded subjects of all messages, one a line."""

    def __init__(self, session: Session) -> None:
        rows = driver(session).execute("SELECT message_id, subject FROM message_folded").fetchall()
        self._text = "\n".join(subject for _, subject in rows)
        self._ids = np.array([key for key, _ in rows], np.int64)
        lengths = np.array([len(subject) + 1 for _, subject in rows], np.int64)
        self._starts = np.cumsum(lengths) - lengths

    def with_words(self, phrases: Iterable[str]) -> dict[str, Ids]:
        """By phrase (folded), the messages in whose subjects it stands as whole words."""
        listed = list(dict.fromkeys(phrases))
        places: dict[int, list[int]] = defaultdict(list)
        if listed and self._text:
            automaton = ahocorasick_rs.AhoCorasick(listed, store_patterns=False)
            for phrase, start, end in automaton.find_matches_as_indexes(
                self._text, overlapping=True
            ):
                if self._are_words(start, end):
                    places[phrase].append(start)
        return {phrase: self._ids_at(places[at]) for at, phrase in enumerate(listed)}

    def _are_words(self, start: int, end: int) -> bool:
        text = self._text
        return not (
            (start and is_word_character(text[start - 1]))
            or (end < len(text) and is_word_character(text[end]))
        )

    def _ids_at(self, starts: list[int]) -> Ids:
        lines = np.searchsorted(self._starts, np.array(starts, np.int64), "right") - 1
        return np.unique(self._ids[lines])
