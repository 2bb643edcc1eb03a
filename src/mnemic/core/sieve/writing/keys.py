"""Values of conditions as keys: spellings, quoting, comparators (RFC 5228, section 2.7)."""

import re
import unicodedata
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from itertools import islice, product

from mnemic.core.fields.text_condition import TextTestCondition
from mnemic.core.sieve.writing.grades import Said
from mnemic.core.sieve.writing.setting import Setting
from mnemic.core.text.folding import exact

__all__ = ["Keys", "keys_of", "normal_pattern", "quoted_wildcards"]

#: Keys that are written for one value whose letters the server can't compare.
_MOST_SPELLINGS = 32

_WILD = re.compile(r"[*?\\]")


@dataclass(frozen=True, slots=True)
class Keys:
    """The texts that a test looks for, how they are compared, and where that differs."""

    texts: tuple[str, ...]
    comparator: str | None
    why: tuple[str, ...]

    def patterns(self, *shapes: tuple[str, str]) -> tuple[str, ...]:
        """Patterns for ``:matches``: each text, quoted, between what stands before and behind."""
        quoted = map(quoted_wildcards, self.texts)
        return tuple(f"{before}{text}{behind}" for text in quoted for before, behind in shapes)

    def told(self, said: Said) -> Said:
        """A test with what has to be said of its keys."""
        return said.but(*self.why) if self.why else said


def quoted_wildcards(text: str) -> str:
    """A text that stands for itself in a pattern."""
    return _WILD.sub(lambda match: f"\\{match[0]}", text)


def normal_pattern(pattern: str) -> str:
    """A pattern of ours with a backslash only before what it has to quote, and none alone."""

    def plain(match: re.Match[str]) -> str:
        quoted = match[1]
        if not quoted:
            return r"\\"  # a last one alone stands for itself
        return match[0] if quoted in "*?\\" else quoted

    return re.sub(r"\\(.?)", plain, pattern, flags=re.DOTALL)


def keys_of(condition: TextTestCondition, setting: Setting) -> Keys:
    """The values of a condition as keys."""
    texts = [text for value in condition.values if (text := _written(value))]
    why: list[str] = []
    if any(" " in text for text in texts):
        why.append(
            "between words the server wants just one space, where ours takes any white space"
        )
    if condition.case:
        return Keys(tuple(texts), "i;octet", tuple(why))
    if all(text.isascii() for text in texts):
        return Keys(tuple(texts), None, tuple(why))
    if condition.test == "wildcard" and any("?" in text for text in texts):
        why.append("? may stand for one octet of a letter that is not ASCII")
    if setting.can("comparator-i;unicode-casemap"):
        spelt = [form for text in texts for form in _sharp(text)]
        return Keys(tuple(dict.fromkeys(spelt)), "i;unicode-casemap", tuple(why))
    spelt = []
    for text in texts:
        several = list(_spellings(text))
        if len(several) > _MOST_SPELLINGS:
            why.append(f"of the ways to write “{text}” only some are looked for")
        spelt += several[:_MOST_SPELLINGS]
    return Keys(tuple(dict.fromkeys(spelt)), None, tuple(why))


def _written(value: str) -> str:
    return exact(value)


def _sharp(text: str) -> Iterator[str]:
    """ß and ss are equal for us."""
    yield text
    if "ß" in text:
        yield text.replace("ß", "ss")


def _spellings(text: str) -> Iterator[str]:
    """The text with its letters beyond ASCII in every case, composed and decomposed."""
    choices = [_cases(character) for character in text]
    for letters in islice(product(*choices), _MOST_SPELLINGS + 1):
        yield "".join(letters)
    for letters in ((text.lower(),), (text.upper(),)):
        yield unicodedata.normalize("NFD", "".join(letters))


def _cases(character: str) -> tuple[str, ...]:
    if character.isascii():
        return (character,)
    several: Iterable[str] = (character, character.lower(), character.upper())
    if character in "ßẞ":
        several = ("ß", "ss", "ẞ")
    return tuple(dict.fromkeys(several))
