"""Folding: the one form in which texts are compared, with a way back to the original.

The rule document ("Comparing text") defines two forms. *Folded*, the usual one: NFKC, Unicode
case folding, NFKC again. *Exact*, for conditions with ``case``: NFC. In both, invisible
characters are removed first and every run of white space becomes one space, ends trimmed.
"""

import re
import unicodedata
from functools import cache
from itertools import islice, pairwise

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


_WORDS = re.compile(r"\S+")


class FoldedSpans:
    """Finds for a span of a folded text the span of the original that it came from.

    Words fold independently of each other, and a word is cut into pieces that do, too; a span is
    widened to whole pieces, so that a marked "ß" is marked whole where only one "s" of its folding
    matched.
    """

    def __init__(self, original: str, *, case: bool = False, folded: str | None = None) -> None:
        """``folded`` is the folded text, where it is known already."""
        self._original, self._case = original, case
        self._form = exact if case else fold
        self.folded = self._form(original) if folded is None else folded

    def original(self, start: int, end: int) -> tuple[int, int]:
        """The span of the original for the span ``start``:``end`` of the folded text."""
        if not self.folded:
            return (0, 0)
        if start < end and len(self._original) == len(self.folded) and self._original.isascii():
            return (start, end)  # each character stands where it stood: no white space was joined
        last = len(self.folded) - 1
        (begin, _), word = self._origin(min(start, last), self._word_of(min(start, last)))
        if start >= end:
            return (begin, begin)
        return (begin, self._origin(min(end - 1, last), word)[0][1])

    def _word_of(self, position: int) -> tuple[int, int]:
        """A word at or before a position: where it begins, folded and in the original."""
        if not self._original.isascii():
            return 0, 0
        # Character by character, white space aside: words can be counted.
        words = _WORDS.finditer(self._original)
        word = next(islice(words, self.folded.count(" ", 0, position), None))
        return self.folded.rfind(" ", 0, position) + 1, word.start()

    def _origin(
        self, position: int, word: tuple[int, int]
    ) -> tuple[tuple[int, int], tuple[int, int]]:
        """Where a folded character came from, and its word; searched from a word on."""
        at, begin = word
        for found in _WORDS.finditer(self._original, begin):
            text, within = found[0], position - at
            length = len(text) if text.isascii() else len(self._form(text))
            if length == 0:
                continue
            if within < length:
                start, end = self._piece(text, within)
                return (found.start() + start, found.start() + end), (at, found.start())
            if within == length:  # the white space behind it
                return (found.end(), found.end() + 1), (at, found.start())
            at += length + 1
        raise ValueError(position)  # there is no such character

    def _piece(self, word: str, position: int) -> tuple[int, int]:
        """The piece of a word that the folded word's character at a position came from."""
        if word.isascii():
            return position, position + 1
        folded = 0
        before = " "  # white space at the beginning, or after another, is dropped
        for start, end in _pieces(word):
            for character in _fold_piece(word[start:end], case=self._case):
                if character == before == " ":
                    continue
                if folded == position:
                    return start, end
                folded, before = folded + 1, character
        raise ValueError(position)
