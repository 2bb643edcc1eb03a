"""Tests of texts: contains, words, is, begins, ends, wildcard and regex, whatever is looked at."""

import re
from collections.abc import Callable, Iterable, Sequence
from typing import TypeAlias

from mnemic.core.fields.text_condition import TextTestCondition
from mnemic.core.sieve.building import allof, anyof
from mnemic.core.sieve.syntax import Test
from mnemic.core.sieve.writing.grades import Said, close, folded, no
from mnemic.core.sieve.writing.keys import Keys, keys_of, normal_pattern
from mnemic.core.sieve.writing.setting import Setting

__all__ = [
    "AFTER_WORDS",
    "AROUND_ADDRESSES",
    "BEFORE_WORDS",
    "LINE_ENDS",
    "Ask",
    "posix_pattern",
    "said_of_keys",
    "said_of_text",
    "words_test",
]

#: Makes the test that looks somewhere: a match type, the keys, and a comparator where it is needed.
Ask: TypeAlias = Callable[[str, Iterable[str], str | None], Test]

#: What may stand before a word, and behind it, where a server has no patterns.
BEFORE_WORDS = (" ", "(", "[", '"', "'", "/", "-", ":", ".")
AFTER_WORDS = (" ", ",", ".", ":", ";", "!", "?", ")", "]", '"', "'", "/", "-")

#: The same around a piece of an address, and at the ends of lines.
AROUND_ADDRESSES = ("@", "<", ">")
LINE_ENDS = ("\n",)

_WORDS_BY_EDGES = "a word ends for the server only at white space and the usual signs"
_NO_PATTERNS = "patterns need regex, which the server is not said to have"


def said_of_text(
    condition: TextTestCondition, setting: Setting, ask: Ask, edges: Sequence[str] = ()
) -> Said:
    """A condition on texts; ``edges`` are more signs that words end at there."""
    return said_of_keys(condition, keys_of(condition, setting), setting, ask, edges)


def said_of_keys(
    condition: TextTestCondition,
    keys: Keys,
    setting: Setting,
    ask: Ask,
    edges: Sequence[str] = (),
) -> Said:
    """The same with other keys than the condition's values."""
    if condition.test == "regex":
        said = _regex(condition, setting, ask)
        return said if said.test is None else keys.told(said)
    if not keys.texts:
        return no("nothing of its values is left that a script could look for")
    match condition.test:
        case "contains":
            said = folded(ask(":contains", keys.texts, keys.comparator))
        case "is":
            said = folded(ask(":is", keys.texts, keys.comparator))
        case "begins":
            said = folded(ask(":matches", keys.patterns(("", "*")), keys.comparator))
        case "ends":
            said = folded(ask(":matches", keys.patterns(("*", "")), keys.comparator))
        case "wildcard":
            patterns = tuple(map(normal_pattern, keys.texts))
            said = folded(ask(":matches", patterns, keys.comparator))
        case _:
            said = _words(keys, setting, ask, edges)
    return keys.told(said)


def _words(keys: Keys, setting: Setting, ask: Ask, edges: Sequence[str]) -> Said:
    if setting.can("regex"):
        edged = [f"(^|[^[:alnum:]_]){_literal(text)}([^[:alnum:]_]|$)" for text in keys.texts]
        why = "which letters make a word is for the server to say"
        return close(ask(":regex", edged, keys.comparator), why)
    return close(words_test(keys, ask, edges), _WORDS_BY_EDGES)


def words_test(keys: Keys, ask: Ask, edges: Sequence[str] = (), behind: str = "") -> Test:
    """Two patterns for each text: that it begins at an edge, and that it ends at one.

    ``behind`` is what has to follow at the end of each pattern.
    """
    before = (("", f"*{behind}"), *((f"*{edge}", f"*{behind}") for edge in (*BEFORE_WORDS, *edges)))
    after = (
        ("*", behind),
        *(("*", f"{_wild(edge)}*{behind}") for edge in (*AFTER_WORDS, *edges)),
    )
    tests = []
    for text in keys.texts:
        one = Keys((text,), keys.comparator, ())
        sides = (one.patterns(*before), one.patterns(*after))
        tests.append(allof(*(ask(":matches", side, keys.comparator) for side in sides)))
    return anyof(*tests)


def _wild(edge: str) -> str:
    return "\\?" if edge == "?" else edge


_SPECIAL = re.compile(r"[.\[\]*+?{}()|^$\\]")


def _literal(text: str) -> str:
    escaped = _SPECIAL.sub(lambda match: f"\\{match[0]}", text)
    return escaped.replace(" ", "[[:space:]]+")


def _regex(condition: TextTestCondition, setting: Setting, ask: Ask) -> Said:
    if not setting.can("regex"):
        return no(_NO_PATTERNS)
    patterns = []
    for value in condition.values:
        pattern = posix_pattern(value)
        if pattern is None:
            return no(f"the pattern {value} holds what the server’s patterns don’t have")
        patterns.append(pattern)
    comparator = "i;octet" if condition.case else None
    return close(ask(":regex", patterns, comparator), "patterns are read by the server’s own rules")


_CLASSES = {r"\d": "[0-9]", r"\w": "[[:alnum:]_]", r"\s": "[[:space:]]"}
#: Groups with flags or names, and what is as short as can be.
_NOT_POSIX = frozenset({"(?", "*?", "+?", "??", "}?"})
_ESCAPED_NAME = re.compile(r"\\\w?")
_PIECES = re.compile(r"\\.|\(\?:|\(\?|[*+?}]\?|.", re.DOTALL)


def posix_pattern(pattern: str) -> str | None:
    """An RE2 pattern as a POSIX extended one; None where it has what those have not.

    draft-ietf-sieve-regex, section 3 (from memory).
    """
    written: list[str] = []
    inside = False  # of brackets, where classes are not translated
    for piece in _PIECES.findall(pattern):
        if inside:
            if piece.startswith("\\"):
                return None
            inside = piece != "]"
            written.append(piece)
        elif piece in _CLASSES:
            written.append(_CLASSES[piece])
        elif piece == "(?:":
            written.append("(")
        elif piece in _NOT_POSIX or _ESCAPED_NAME.fullmatch(piece):
            return None
        else:
            inside = piece == "["
            written.append(piece)
    return "".join(written)
