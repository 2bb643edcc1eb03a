"""The index of one channel: which of many text conditions hold for its texts."""

from collections import defaultdict
from collections.abc import Callable
from typing import TypeAlias

import ahocorasick_rs
import re2

from mnemic.core.bounds import MOST_VALUE
from mnemic.core.fields.text_condition import Channel, TextTestCondition
from mnemic.core.message import MessageView
from mnemic.core.text.text_tests import is_word_character, pattern_of

__all__ = ["ChannelIndex"]

#: Memory for the patterns of one channel, in octets. A set that needs more is not used.
_SET_MEMORY = 256 * 1024 * 1024

#: A pattern that every text matches: where it is missing among the matches, the set has run out of
#: memory half way, and its answer means nothing.
_SENTINEL = r"\A"


class _Patterns:
    """Patterns that are searched for together, and one by one where that fails."""

    def __init__(self) -> None:
        self._conditions: dict[int, TextTestCondition] = {}
        self._sets: list[tuple[re2.Set, list[int]]] = []

    def add(self, number: int, condition: TextTestCondition) -> None:
        self._conditions[number] = condition

    def build(self) -> None:
        for case in (False, True):
            self._build_set(case=case)

    def _build_set(self, *, case: bool) -> None:
        options = re2.Options()
        options.case_sensitive = case
        options.max_mem = _SET_MEMORY
        options.log_errors = False
        together, numbers = re2.Set.SearchSet(options), [-1]
        together.Add(_SENTINEL)
        for number, condition in self._conditions.items():
            # Wildcards meet folded texts; only a regex is told to ignore case.
            if (condition.case or condition.test == "wildcard") is not case:
                continue
            for value in condition.comparable_values:
                together.Add(pattern_of(condition.test, value))
                numbers.append(number)
        if len(numbers) > 1:
            together.Compile()
            self._sets.append((together, numbers))

    def find(self, text: str, held: set[int]) -> None:
        if not text.isascii():  # lone surrogates are refused
            text = text.encode("utf-8", "replace").decode("utf-8")
        for together, numbers in self._sets:
            matches = together.Match(text)
            if 0 in matches:
                held.update(numbers[index] for index in matches if index)
            else:
                held.update(
                    number
                    for number in set(numbers[1:])
                    if self._conditions[number].find(text) is not None
                )


#: A DFA is the fastest automaton and the largest; beyond this many characters of phrases it
#: would take more memory than the rules are worth, and the NFA takes a third longer.
_DFA_CHARACTERS = 400_000


def _implementation(phrases: list[str]) -> ahocorasick_rs.Implementation:
    if sum(map(len, phrases)) <= _DFA_CHARACTERS:
        return ahocorasick_rs.Implementation.DFA
    return ahocorasick_rs.Implementation.ContiguousNFA


class _Phrases:
    """Phrases that are found in one pass, whatever their number."""

    def __init__(self) -> None:
        self._wanted: dict[str, list[tuple[str, int]]] = defaultdict(list)
        self._automaton: ahocorasick_rs.AhoCorasick | None = None
        self._tests: list[tuple[int, list[tuple[str, int]]]] = []

    def add(self, phrase: str, test: str, number: int) -> None:
        self._wanted[phrase].append((test, number))

    def build(self) -> None:
        if not self._wanted:
            return
        phrases = list(self._wanted)
        self._tests = [(len(phrase), self._wanted[phrase]) for phrase in phrases]
        self._automaton = ahocorasick_rs.AhoCorasick(
            phrases, implementation=_implementation(phrases), store_patterns=False
        )

    def find(self, text: str, held: set[int]) -> None:
        if self._automaton is None:
            return
        try:
            matches = self._automaton.find_matches_as_indexes(text, overlapping=True)
        except UnicodeEncodeError:  # lone surrogates
            text = text.encode("utf-8", "replace").decode("utf-8")
            matches = self._automaton.find_matches_as_indexes(text, overlapping=True)
        for phrase, start, end in matches:
            for test, number in self._tests[phrase][1]:
                if number not in held and _passes(test, text, start, end):
                    held.add(number)


def _passes(test: str, text: str, start: int, end: int) -> bool:
    if test == "contains":
        return True
    if test == "words":
        return not (
            (start and is_word_character(text[start - 1]))
            or (end < len(text) and is_word_character(text[end]))
        )
    return start == 0 if test == "begins" else end == len(text)


Finder: TypeAlias = Callable[[MessageView, set[int]], None]
TextFinder: TypeAlias = Callable[[str, set[int]], None]


class ChannelIndex:
    """Finds which of the conditions on one channel hold for a message."""

    def __init__(self, channel: Channel) -> None:
        self._channel = channel
        self._equal: dict[str, list[int]] = {}
        self._under: dict[str, list[int]] = {}
        self._phrases, self._patterns = _Phrases(), _Patterns()
        self._tests: set[str] = set()

    def add(self, number: int, condition: TextTestCondition) -> None:
        """Take a condition into the index under its number."""
        self._reader = condition  # any of them reads the channel
        self._tests.add(condition.test)
        if condition.test in ("regex", "wildcard"):
            self._patterns.add(number, condition)
            return
        for value in condition.comparable_values:
            if condition.test == "is":
                self._equal.setdefault(value, []).append(number)
            elif condition.test == "under":
                self._under.setdefault(value, []).append(number)
            else:
                self._phrases.add(value, condition.test, number)

    def build(self) -> Finder:
        """Make the automata; the function that adds to a set the numbers of what holds."""
        self._phrases.build()
        self._patterns.build()
        steps: list[TextFinder] = []
        if self._under:
            steps.append(self._find_under)
        if self._tests & {"contains", "words", "begins", "ends"}:
            steps.append(self._phrases.find)
        if self._tests & {"regex", "wildcard"}:
            steps.append(self._patterns.find)
        return self._finder(steps)

    def _finder(self, steps: list[TextFinder]) -> Finder:
        channel, read, equal = self._channel, self._reader.comparables, self._equal

        def find(message: MessageView, held: set[int]) -> None:
            texts = message.cache.get(channel)
            if texts is None:
                texts = read(message, channel)
            for text in texts:
                if text in equal:
                    held.update(equal[text])
                for step in steps:
                    step(text, held)

        return find

    def _find_under(self, domain: str, held: set[int]) -> None:
        under = self._under
        if domain in under:
            held.update(under[domain])
        dot = domain.find(".", max(0, len(domain) - MOST_VALUE - 1))  # no value is longer
        while dot >= 0:
            domain = domain[dot + 1 :]
            if domain in under:
                held.update(under[domain])
            dot = domain.find(".")
