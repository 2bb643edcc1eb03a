"""Folding: the one form in which texts are compared, with a way back to the original.

The rule document ("Comparing text") defines two forms. *Folded*, the usual one: NFKC, Unicode
case folding, NFKC again. *Exact*, for conditions with ``case``: NFC. In both, invisible
characters are removed first and every run of white space becomes one space, ends trimmed.
"""

import re
import unicodedata
from bisect import bisect_right
from functools import cache
from itertools import pairwise
from typing import NamedTuple

__all__ = ["FoldedSpans", "exact", "fold"]

#: Soft hyphen, zero-width space and joiners, word joiner, byte order mark.
_INVISIBLE = dict.fromkeys([0x00AD, 0x200B, 0x200C, 0x200D, 0x2060, 0xFEFF])
_INVISIBLE_PATTERN = re.compile("[\u00ad\u200b-\u200d\u2060\ufeff]")


def _join_white_space(text: str) -> str:
    return " ".join(text.split())


def fold(text: str) -> str:
    """The form in which texts are compared without regard to case."""
    if text.isascii():
        return _join_white_space(text.lower())
    if _INVISIBLE_PATTERN.search(text):
        text = text.translate(_INVISIBLE)
    text = unicodedata.normalize("NFKC", text).casefold()
    return _join_white_space(unicodedata.normalize("NFKC", text))


def exact(text: str) -> str:
    """The form in which texts are compared where case counts."""
    if not text.isascii():
        text = unicodedata.normalize("NFC", text.translate(_INVISIBLE))
    return _join_white_space(text)


#: Canonical compositions of two characters stand in planes 0 and 1 alone.
_LAST_COMPOSED = 0x1FFFF


@cache
def _composes_backward() -> frozenset[str]:
    """Characters that normalisation may join with the one before, though they aren't combining.

    They are the second halves of canonical decompositions, and the Hangul vowels and finals.
    """
    seconds = {chr(code) for code in (*range(0x1161, 0x1176), *range(0x11A8, 0x11C3))}
    for code in range(0x80, _LAST_COMPOSED + 1):
        parts = unicodedata.decomposition(chr(code)).split()
        if len(parts) == 2 and not parts[0].startswith("<"):
            seconds.add(chr(int(parts[1], 16)))
    return frozenset(seconds)


def _starts_piece(character: str) -> bool:
    """Whether a text may be cut before ``character`` and its halves be folded apart."""
    if character.isascii():
        return True
    if character in _composes_backward() or unicodedata.combining(character):
        return False
    first = fold(character)[:1]  # a half-width voiced mark folds to a combining character
    return not first or not (first in _composes_backward() or unicodedata.combining(first))


def _pieces(text: str) -> list[tuple[int, int]]:
    starts = [i for i, character in enumerate(text) if i == 0 or _starts_piece(character)]
    return list(pairwise([*starts, len(text)]))


def _fold_piece(piece: str, *, case: bool) -> str:
    # A bare piece would lose its white space in folding; between two marks it stays.
    return (exact if case else fold)(f"|{piece}|")[1:-1]


#: Text in ASCII folds character by character, white space aside: it is taken word by word.
_RUNS = re.compile(r"[\x00-\x7f]+|[^\x00-\x7f]+")
_WORDS = re.compile(r"\s+|\S+")


class _Segment(NamedTuple):
    """Folded text from ``folded`` on, which came from ``start``:``end`` of the original.

    ``plain``: character by character; else all of it from all of that.
    """

    folded: int
    start: int
    end: int
    plain: bool


class FoldedSpans:
    """Finds for a span of a folded text the span of the original that it came from.

    The original is cut into pieces that fold independently; a span is widened to whole pieces,
    so that a marked "ß" is marked whole where only one "s" of its folding matched.
    """

    def __init__(self, original: str, *, case: bool = False) -> None:
        self._case, self._text, self._length = case, [""], 0
        self._segments: list[_Segment] = []
        end = 0
        for run in _RUNS.finditer(original):
            start, end = end, run.end()
            if run[0][0].isascii():
                if end < len(original) and not _starts_piece(original[end]):
                    end -= 1  # its last character folds together with what follows
                self._add_plain(original, start, end)
            else:
                for first, last in _pieces(original[start:end]):
                    self._add_piece(original, start + first, start + last)
        self.folded = "".join(self._text).rstrip(" ")

    def _add(self, folded: str, start: int, end: int, *, plain: bool) -> None:
        if folded == " " and self._text[-1][-1:] in ("", " "):
            return
        self._segments.append(_Segment(self._length, start, end, plain))
        self._text.append(folded)
        self._length += len(folded)

    def _add_plain(self, original: str, start: int, end: int) -> None:
        for word in _WORDS.finditer(original, start, end):
            text = word[0]
            if text[0].isspace():
                self._add(" ", word.start(), word.start() + 1, plain=True)
            else:
                folded = text if self._case else text.lower()
                self._add(folded, word.start(), word.end(), plain=True)

    def _add_piece(self, original: str, start: int, end: int) -> None:
        for character in _fold_piece(original[start:end], case=self._case):
            self._add(character, start, end, plain=False)

    def _origin(self, position: int) -> tuple[int, int]:
        """Where the folded character at a position came from."""
        at = bisect_right(self._segments, position, key=lambda each: each.folded) - 1
        segment = self._segments[at]
        if not segment.plain:
            return segment.start, segment.end
        start = segment.start + position - segment.folded
        return start, start + 1

    def original(self, start: int, end: int) -> tuple[int, int]:
        """The span of the original for the span ``start``:``end`` of the folded text."""
        if not self.folded:
            return (0, 0)
        last = len(self.folded) - 1
        first = self._origin(min(start, last))[0]
        if start >= end:
            return (first, first)
        return (first, self._origin(min(end - 1, last))[1])
