"""Keys of a script as values of conditions: plain ones where a pattern says no more."""

import re
from collections import defaultdict
from collections.abc import Iterable, Iterator

__all__ = ["Asked", "asked_by", "unquoted"]

#: A test and its values.
Asked = tuple[str, tuple[str, ...]]

_QUOTED = re.compile(r"\\(.)", re.DOTALL)
_WORD_PATTERN = re.compile(r"\(\^\|\[\^\[:alnum:\]_\]\)(.+)\(\[\^\[:alnum:\]_\]\|\$\)", re.DOTALL)
_LITERAL = re.compile(r"(?:[^.\[\]*+?{}()|^$\\]|\\.|\[\[:space:\]\]\+)+")


def unquoted(pattern: str) -> str | None:
    """The text that a pattern stands for; None where it holds * or ? that are not quoted."""
    text, at = [], 0
    while at < len(pattern):
        sign = pattern[at]
        if sign in "*?":
            return None
        if sign == "\\" and at + 1 < len(pattern):
            at += 1
            sign = pattern[at]
        text.append(sign)
        at += 1
    return "".join(text)


def asked_by(match: str, keys: Iterable[str]) -> Iterator[Asked]:
    """The tests that keys come to, each with its values; one of all has to hold.

    An empty text is a pattern: it is there, and has nothing in it.
    """
    pieces: dict[str, list[str]] = defaultdict(list)
    for key in keys:
        test, value = _asked(match, key)
        pieces[test].append(value)
    for test, values in pieces.items():
        yield test, tuple(dict.fromkeys(values))


def _asked(match: str, key: str) -> tuple[str, str]:
    if match == ":matches":
        return _of_pattern(key)
    if match == ":regex":
        return _of_regex(key)
    test = "contains" if match == ":contains" else "is"
    if not key.strip():
        if not key:
            return ("wildcard", "*") if test == "contains" else ("regex", "^$")
        return ("wildcard", f"*{key}*") if test == "contains" else ("regex", "^$")
    if test == "contains" and key != _joined(key):
        return "wildcard", f"*{_with_wild_quoted(key)}*"
    return test, key


def _joined(text: str) -> str:
    return " ".join(text.split())


def _with_wild_quoted(text: str) -> str:
    return re.sub(r"[*?\\]", lambda match: f"\\{match[0]}", text)


def _of_pattern(pattern: str) -> tuple[str, str]:
    """A pattern without wildcards inside as the test that says it in words."""
    if not pattern:
        return "regex", "^$"
    begins = pattern.startswith("*")
    ends = len(pattern) > 1 and pattern.endswith("*") and _is_wild_at_the_end(pattern)
    inside = pattern[begins : len(pattern) - ends]
    text = unquoted(inside)
    if not text or text != _joined(text):
        return "wildcard", pattern
    tests = {(True, True): "contains", (False, True): "begins", (True, False): "ends"}
    return tests.get((begins, ends), "is"), text


def _is_wild_at_the_end(pattern: str) -> bool:
    before = pattern[:-1]
    return (len(before) - len(before.rstrip("\\"))) % 2 == 0


def _of_regex(pattern: str) -> tuple[str, str]:
    word = _WORD_PATTERN.fullmatch(pattern)
    if word and _LITERAL.fullmatch(word[1]):
        return "words", _QUOTED.sub(r"\1", word[1].replace("[[:space:]]+", " "))
    return "regex", pattern
