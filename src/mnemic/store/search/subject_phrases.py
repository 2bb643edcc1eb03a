"""Which messages have phrases in their subjects: many phrases in one pass over all subjects.

Where hundreds of phrases are asked about at once, one automaton over all subjects in a row takes
less time than a look into the index for a few of them (Aho and Corasick 1975).
"""

from collections.abc import Iterable
from functools import cached_property
from itertools import chain

import ahocorasick_rs
import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.core.text.text_tests import is_word_character
from mnemic.store.conditions_sql.ids import Ids
from mnemic.store.engine.driver import driver
from mnemic.store.line.taken_mail import each_once

__all__ = ["SubjectPhrases"]

#: One text of each: a row for each message would cost twice as much.
_ALL = (
    "SELECT coalesce(group_concat(subject, char(10)), ''), group_concat(message_id, ' ')"
    " FROM (SELECT message_id, subject FROM message_folded ORDER BY message_id)"
)


class SubjectPhrases:
    """The folded subjects of all messages, one a line."""

    def __init__(self, session: Session) -> None:
        ((self._text, ids),) = driver(session).execute(_ALL).fetchall()
        self._octets = self._text.encode("utf-8", "surrogatepass")
        self._ids = np.fromstring(ids or "", np.int64, sep=" ")
        octets = np.frombuffer(self._octets, np.uint8)
        self._ends = np.flatnonzero(octets == ord("\n"))

    def with_words(self, phrases: Iterable[str]) -> dict[str, Ids]:
        """The messages whose subjects have a phrase as whole words, by phrase (folded)."""
        listed = list(dict.fromkeys(phrases))
        if not listed or not self._octets:
            return dict.fromkeys(listed, np.zeros(0, np.int64))
        automaton = ahocorasick_rs.BytesAhoCorasick(
            [phrase.encode("utf-8", "surrogatepass") for phrase in listed],
            implementation=ahocorasick_rs.Implementation.DFA,
        )
        matches = automaton.find_matches_as_indexes(self._octets, overlapping=True)
        flat = np.fromiter(chain.from_iterable(matches), np.int64, 3 * len(matches))
        phrase, start, end = flat.reshape(-1, 3).T
        whole = ~(self._in_words[start] | self._in_words[end + 1])
        phrase, start = phrase[whole], start[whole]
        order = np.argsort(phrase, kind="stable")
        ids = self._ids[np.searchsorted(self._ends, start[order])]
        ends = np.searchsorted(phrase[order], np.arange(1, len(listed)))
        return dict(zip(listed, map(each_once, np.split(ids, ends)), strict=True))

    @cached_property
    def _in_words(self) -> NDArray[np.bool_]:
        """Whether a character of a word stands at each place of the octets, one further on."""
        codes = np.frombuffer(f"\n{self._text}\n".encode("utf-32-le", "surrogatepass"), np.uint32)
        there = np.flatnonzero(np.bincount(codes))
        of_words = np.zeros(int(there[-1]) + 1, np.bool_)
        of_words[there] = [is_word_character(chr(code)) for code in there.tolist()]
        octets = np.ones(of_words.size, np.uint8)  # that each takes in UTF-8
        for first in (0x80, 0x800, 0x1_0000):
            octets[first:] += 1
        return np.repeat(of_words[codes], octets[codes])
