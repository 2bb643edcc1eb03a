"""The tests that compare texts, on texts already in comparable form."""

import re
from collections.abc import Callable, Iterable
from functools import partial
from typing import Literal, TypeAlias, get_args

import re2

from mnemic.core.text.domains import is_under

__all__ = [
    "TEXT_TESTS",
    "Find",
    "Span",
    "TextTest",
    "finder",
    "is_word_character",
    "pattern_of",
    "pattern_problem",
]

TextTest: TypeAlias = Literal[
    "contains", "words", "is", "begins", "ends", "wildcard", "regex", "under"
]

#: The tests that every text field has ("under" is for domains alone).
TEXT_TESTS = tuple(test for test in get_args(TextTest) if test != "under")

Span: TypeAlias = tuple[int, int]
Find: TypeAlias = Callable[[str], Span | None]

#: RE2 gives up on a pattern that would need more memory than this, in octets; a mail rule's
#: pattern needs a few thousand.
_REGEX_MEMORY = 4_000_000


def _contains(text: str, value: str) -> Span | None:
    start = text.find(value)
    return None if start < 0 else (start, start + len(value))


def is_word_character(character: str) -> bool:
    """Whether a character is a letter, a digit or an underscore."""
    return character.isalnum() or character == "_"


def _words(text: str, value: str) -> Span | None:
    start = text.find(value)
    while start >= 0:
        end = start + len(value)
        before, after = text[start - 1 : start] if start else "", text[end : end + 1]
        if not is_word_character(before) and not is_word_character(after):
            return start, end
        start = text.find(value, start + 1)
    return None


def _is(text: str, value: str) -> Span | None:
    return (0, len(text)) if text == value else None


def _begins(text: str, value: str) -> Span | None:
    return (0, len(value)) if text.startswith(value) else None


def _ends(text: str, value: str) -> Span | None:
    return (len(text) - len(value), len(text)) if text.endswith(value) else None


def _under(text: str, value: str) -> Span | None:
    return (len(text) - len(value), len(text)) if is_under(text, value) else None


_PLAIN_TESTS: dict[str, Callable[[str, str], Span | None]] = {
    "contains": _contains,
    "words": _words,
    "is": _is,
    "begins": _begins,
    "ends": _ends,
    "under": _under,
}

_WILDCARD_TOKEN = re.compile(r"\\(.)|(\*+)|(\?)|(.)", re.DOTALL)


def _wildcard_to_regex(value: str) -> str:
    """RFC 5228, section 2.7.1, ``:matches``: * any run, ? one character, a backslash quotes."""
    pieces = []
    for quoted, run, one, other in _WILDCARD_TOKEN.findall(value):
        if run or one:
            pieces.append(".*" if run else ".")
        else:
            pieces.append(re2.escape(quoted or other))
    return rf"(?s)\A{''.join(pieces)}\z"


def pattern_of(test: TextTest, value: str) -> str:
    """The RE2 pattern of a value of ``regex`` or ``wildcard``."""
    return value if test == "regex" else _wildcard_to_regex(value)


def _options(*, case: bool) -> re2.Options:
    options = re2.Options()
    options.case_sensitive = case
    options.max_mem = _REGEX_MEMORY
    options.log_errors = False
    return options


def _search(text: str, patterns: Iterable[re2._Regexp]) -> Span | None:
    if not text.isascii():  # RE2 refuses lone surrogates, which broken mail may hold
        text = text.encode("utf-8", "replace").decode("utf-8")
    for pattern in patterns:
        if match := pattern.search(text):
            start, end = match.span()
            return start, end
    return None


def pattern_problem(value: str) -> str | None:
    """Why ``value`` is not a usable RE2 pattern, or None where it is one."""
    try:
        re2.compile(value, _options(case=True))
    except re2.error as problem:
        reason = problem.args[0] if problem.args else problem
        if isinstance(reason, bytes):
            reason = reason.decode("utf-8", "replace")
        remedy = "put \\ before a sign that stands for itself"
        return f"not a pattern that RE2 can read: {reason}; {remedy}"
    return None


def finder(test: TextTest, values: tuple[str, ...], *, case: bool) -> Find:
    """A function that finds the span of the first value that passes ``test``, or None.

    Values and texts are expected in comparable form; ``regex`` values are patterns as written.
    """
    if test in ("wildcard", "regex"):
        # Wildcards meet texts that are folded already; only a regex is told to ignore case.
        options = _options(case=case or test == "wildcard")
        patterns = [re2.compile(pattern_of(test, value), options) for value in values]
        return partial(_search, patterns=patterns)
    find_one = _PLAIN_TESTS[test]

    def find(text: str) -> Span | None:
        for value in values:
            if span := find_one(text, value):
                return span
        return None

    return find
