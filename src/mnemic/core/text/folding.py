"""Folding: the one form in which texts are compared, with a way back to the original.

The rule document ("Comparing text") defines two forms. *Folded*, the usual one: NFKC, Unicode
case folding, NFKC again. *Exact*, for conditions with ``case``: NFC. In both, invisible
characters are removed first and every run of white space becomes one space, ends trimmed. A run of
more combining characters than any script has is cut by joiners, so that its cost stays in step.
"""

import re
import unicodedata
from collections.abc import Iterable, Iterator
from functools import cache
from itertools import islice, pairwise

from mnemic.core.bounds import MOST_GROWING

__all__ = ["FoldedSpans", "end_of_text", "exact", "fold"]

#: Soft hyphen, zero-width space and joiners, word joiner, byte order mark.
_INVISIBLE = dict.fromkeys([0x00AD, 0x200B, 0x200C, 0x200D, 0x2060, 0xFEFF])
_INVISIBLE_PATTERN = re.compile("[\u00ad\u200b-\u200d\u2060\ufeff]")


def _join_white_space(text: str) -> str:
    return " ".join(text.split())


def fold(text: str) -> str:
    """The form in which texts are compared without regard to case."""
    if text.isascii():
        return _join_white_space(text.lower())
    return _join_white_space("".join(map(_folded, _slices(_stream_safe(text)))))


def _folded(text: str) -> str:
    text = unicodedata.normalize("NFKC", text).casefold()
    return unicodedata.normalize("NFKC", text)


def exact(text: str) -> str:
    """The form in which texts are compared where case counts."""
    if not text.isascii():
        slices = _slices(_stream_safe(text))
        text = "".join(unicodedata.normalize("NFC", piece) for piece in slices)
    return _join_white_space(text)


#: Combining characters in a row that are put in order; the time it takes grows with the square of
#: their number. Behind so many stands a joiner (UAX #15, section 13, stream-safe text format).
_COMBINING_RUN = 30
_JOINER = "\u034f"

#: Characters folded at a time: meanwhile no other thread runs.
_SLICE = 65_536

#: Characters in which a place is looked for where a text may be cut.
_LONGEST_PIECE = 1_000

#: Normalisation changes nothing beyond these planes but ideographs.
_LAST_CHANGED = 0x1FFFF


def _class_of(characters: Iterable[str]) -> str:
    """A pattern's class of characters, in ranges: each is asked for with every character."""
    ranges: list[list[str]] = []
    for character in characters:
        if ranges and ord(ranges[-1][1]) + 1 == ord(character):
            ranges[-1][1] = character
        else:
            ranges.append([character, character])
    return f"[{''.join(f'{first}-{last}' for first, last in ranges)}]"


@cache
def _combining() -> str:
    """The class of combining characters, those that are made one by folding included."""
    return _class_of(
        character
        for character in map(chr, range(0x300, _LAST_CHANGED + 1))
        # Without a decomposition it stays what it is; no syllable of Hangul begins with such a one.
        if unicodedata.combining(character)
        or (
            unicodedata.decomposition(character)
            and unicodedata.combining(unicodedata.normalize("NFKD", character)[0])
        )
    )


@cache
def _maybe_combining() -> re.Pattern[str]:
    """Finds combining characters, and all beyond plane 0: the library asks for those one by one."""
    near = re.sub("[\U00010000-\U0010ffff]-[\U00010000-\U0010ffff]", "", _combining())
    return re.compile(near.replace("]", "\U00010000-\U0001ffff]"))


@cache
def _combining_run() -> re.Pattern[str]:
    return re.compile(f"{_combining()}{{{_COMBINING_RUN}}}")


@cache
def _growing() -> re.Pattern[str]:
    """Finds the characters of which folding makes more than three."""
    every = map(chr, range(0x80, _LAST_CHANGED + 1))
    changed = (e for e in every if unicodedata.decomposition(e) or e.casefold() != e)
    return re.compile(
        _class_of(character for character in changed if len(_folded(character)) > _SMALL_GROWTH)
    )


_SMALL_GROWTH = 3


def _stream_safe(text: str) -> str:
    if _INVISIBLE_PATTERN.search(text):
        text = text.translate(_INVISIBLE)
    if not _maybe_combining().search(text):  # most often; a run is looked for more slowly
        return text
    return _combining_run().sub(lambda run: run.group() + _JOINER, text)


def _slices(text: str) -> Iterator[str]:
    """A text in pieces that fold apart as they do together."""
    begin = 0
    while len(text) - begin > _SLICE:
        end = begin + _SLICE
        last = min(len(text), end + _LONGEST_PIECE)  # no script has so long a piece
        while end < last and not _starts_piece(text[end]):
            end += 1
        yield text[begin:end]
        begin = end
    yield text[begin:]


def end_of_text(text: str, most: int) -> int:
    """How far a text is looked into that may have so many characters."""
    end = min(len(text), most)
    if text.isascii():
        return end
    growing = islice(_growing().finditer(text, 0, end), MOST_GROWING, None)
    first = next(growing, None)
    return first.start() if first else end


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
    if character.isascii() or character.isspace():
        return True
    if character in _composes_backward() or unicodedata.combining(character):
        return False
    first = fold(character)[:1]  # a half-width voiced mark folds to a combining character
    return bool(first) and not (first in _composes_backward() or unicodedata.combining(first))


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
        for first in _WORDS.finditer(self._original, begin):
            text, within = first[0], position - at
            length = len(text) if text.isascii() else len(self._form(text))
            if length == 0:
                continue
            if within < length:
                start, end = self._piece(text, within)
                return (first.start() + start, first.start() + end), (at, first.start())
            if within == length:  # the white space behind it
                return (first.end(), first.end() + 1), (at, first.start())
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
