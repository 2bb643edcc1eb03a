"""Values against keys: match types and comparators (RFC 5228, section 2.7; RFC 5231; RFC 5051)."""

import operator
import re
import unicodedata
from collections.abc import Callable, Sequence

__all__ = ["Match", "matched"]

#: What a match leaves for ${0}, ${1} … (RFC 5229, section 3.2); empty where it leaves nothing.
Match = tuple[str, ...]

_RELATIONS: dict[str, Callable[[object, object], bool]] = {
    "eq": operator.eq,
    "ne": operator.ne,
    "gt": operator.gt,  # type: ignore[dict-item] # of two texts, or two numbers
    "ge": operator.ge,  # type: ignore[dict-item]
    "lt": operator.lt,  # type: ignore[dict-item]
    "le": operator.le,  # type: ignore[dict-item]
}


def _ascii_lower(text: str) -> str:
    return "".join(sign.lower() if "A" <= sign <= "Z" else sign for sign in text)


def _casemap(text: str) -> str:
    """RFC 5051: each character to its titlecase, and decomposed."""
    titled = "".join(title if len(title := sign.title()) == 1 else sign for sign in text)
    return unicodedata.normalize("NFKD", titled)


def _number(text: str) -> float:
    """i;ascii-numeric (RFC 4790, section 9.1): what is no number is greater than all."""
    digits = re.match(r"[0-9]+", text)
    return int(digits[0]) if digits else float("inf")


_FOLDS: dict[str, Callable[[str], str]] = {
    "i;octet": str,
    "i;ascii-casemap": _ascii_lower,
    "i;ascii-numeric": _ascii_lower,
    "i;unicode-casemap": _casemap,
}


def _pattern(key: str) -> re.Pattern[str]:
    written, at = [], 0
    while at < len(key):
        sign = key[at]
        at += 1
        if sign == "\\" and at < len(key):
            written.append(re.escape(key[at]))
            at += 1
        else:
            written.append({"*": "(.*?)", "?": "(.)"}.get(sign) or re.escape(sign))
    return re.compile("".join(written), re.DOTALL)


def _found(value: str, key: str, comparator: str) -> bool:
    """Whether an extended regular expression of POSIX finds something, letters as compared."""
    if comparator == "i;unicode-casemap":
        value, key = (unicodedata.normalize("NFKD", text) for text in (value, key))
        return bool(_posix(key, re.IGNORECASE).search(value))
    flags = re.NOFLAG if comparator == "i;octet" else re.IGNORECASE | re.ASCII
    return bool(_posix(key, flags).search(value))


def _posix(key: str, flags: re.RegexFlag) -> re.Pattern[str]:
    """The same as one of Python's."""
    for name, signs in (("alnum", "a-zA-Z0-9"), ("space", r"\s"), ("digit", "0-9")):
        key = key.replace(f"[:{name}:]", signs)
    return re.compile(key, flags)


def matched(values: Sequence[str], keys: Sequence[str], tags: dict[str, object]) -> Match | None:
    """What the first value that matches leaves, or None where none does."""
    comparator = str(tags.get(":comparator") or "i;ascii-casemap")
    if ":count" in tags:
        relation = _RELATIONS[str(tags[":count"])]
        return () if any(relation(len(values), _number(key)) for key in keys) else None
    fold = _FOLDS[comparator]
    for value in values:
        for key in keys:
            left = _one(value, key, fold, comparator, tags)
            if left is not None:
                return left
    return None


def _one(
    value: str, key: str, fold: Callable[[str], str], comparator: str, tags: dict[str, object]
) -> Match | None:
    if ":value" in tags:
        relation = _RELATIONS[str(tags[":value"])]
        order: Callable[[str], object] = _number if comparator == "i;ascii-numeric" else fold
        return () if relation(order(value), order(key)) else None
    if ":contains" in tags:
        return () if fold(key) in fold(value) else None
    if ":matches" in tags:
        match = _pattern(fold(key)).fullmatch(fold(value))
        return None if match is None else _captured(value, fold(value), match)
    if ":regex" in tags:
        return () if _found(value, key, comparator) else None
    return () if fold(value) == fold(key) else None


def _captured(value: str, folded: str, match: re.Match[str]) -> Match:
    """The pieces as they stand in the value, where folding has kept its length."""
    if len(folded) != len(value):
        return (value, *match.groups())
    spans = [match.span(number) for number in range(1, (match.re.groups or 0) + 1)]
    return (value, *(value[begin:end] for begin, end in spans))
