"""What every text that passes holds: claimed of a pattern only where it is certain."""

import pytest
import re2
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from mnemic.core.fields.texts import TextCondition
from mnemic.core.text.folding import _starts_piece, exact, fold
from mnemic.core.text.plain_pieces import pieces_of_pattern, pieces_of_wildcard

# RE2's syntax (github.com/google/re2/wiki/Syntax, from memory), read as RE2 reads it.
PATTERNS = [
    ("permit", ("permit",)),
    (r"^Berth \d+: (open|shut)\.$", ("Berth ", ": ", ".")),
    ("colou?r", ("colo", "r")),
    ("ab*c", ("a", "c")),
    ("ab+c", ("ab", "c")),
    ("ab{2}c", ("a", "c")),
    ("ab{x}c", ("ab{x}c",)),  # not a number: a brace as it stands
    ("lock|berth", ()),
    ("(lock|berth) 7", (" 7",)),
    ("a(b(c)d)e", ("a", "e")),
    ("(?i)Lock", ("Lock",)),
    ("[]x]lock[^]y]berth[[:alpha:]z]", ("lock", "berth")),
    (r"[\]x]lock", ("lock",)),
    (r"lock\x41", ()),
    (r"lock\pL", ()),
    (r"\Qa|b\E", ()),
    (r"lock\+1\|", ("lock+1|",)),
    (".*", ()),
]


@pytest.mark.parametrize(("pattern", "pieces"), PATTERNS)
def test_the_plain_pieces_of_a_pattern(pattern: str, pieces: tuple[str, ...]) -> None:
    re2.compile(pattern)
    assert pieces_of_pattern(pattern) == pieces


@pytest.mark.parametrize(
    ("value", "pieces"),
    [("*lock?7*", ("lock", "7")), (r"a\*b", ("a*b",)), ("**", ()), ("a\nb*", ("a\nb",))],
)
def test_the_plain_pieces_of_a_wildcard(value: str, pieces: tuple[str, ...]) -> None:
    assert pieces_of_wildcard(value) == pieces


def test_a_letter_that_folds_together_with_what_follows_is_not_claimed() -> None:
    # NFC has no H with a macron below, but one h: Unicode's composition (UAX #15, from memory).
    text = "BATH\u0331"
    condition = TextCondition(field="body", test="contains", values=("BATH",), case=True)
    assert condition.find(condition.form(text)) is not None
    assert condition.plain_pieces == (("bat",),)
    assert "bath" not in fold(text)


def test_no_other_letter_folds_together_with_a_mark_behind_it() -> None:
    marks = [mark for mark in map(chr, range(0x300, 0x20000)) if not _starts_piece(mark)]
    assert len(marks) > 900
    lost = {
        letter
        for letter in map(chr, range(0x21, 0x7F))
        for mark in marks
        if exact(f"{letter}{mark}x").startswith(letter)
        and not fold(f"{letter}{mark}x").startswith(letter.lower())
    }
    assert lost == set("HJTWY")


#: Among them what folds together with its neighbour, or to another letter.
LETTERS = ["a", "A", "B", "h", "H", "k", "s", "ſ", "\u212a", "ﬁ", "ß", " ", ".", "\u0331", "\u0301"]
PIECES = [*LETTERS, r"\.", "[ab]", "(a|B)", "h*", "a?", "k+", "s{0,2}", "(?i)", ".", "|", "^", "$"]


@settings(max_examples=400)
@given(
    st.sampled_from(["contains", "words", "is", "begins", "ends", "wildcard", "regex"]),
    st.lists(st.sampled_from(LETTERS), max_size=8).map("".join),
    st.data(),
    st.booleans(),
)
def test_a_text_that_passes_holds_them(
    test: str, text: str, data: st.DataObject, case: bool
) -> None:
    begin, end = sorted(data.draw(st.tuples(st.integers(0, 8), st.integers(0, 8))))
    value = text[begin:end]
    if test == "wildcard":
        value = f"*{value[:2]}*{value[3:]}*"
    if test == "regex":
        value += "".join(data.draw(st.lists(st.sampled_from(PIECES), max_size=4)))
    try:
        condition = TextCondition(field="body", test=test, values=(value,), case=case)
    except ValueError:
        assume(False)
    assume(condition.find(condition.form(text)) is not None)
    assert all(piece in fold(text) for piece in condition.plain_pieces[0])


def test_of_many_pieces_some_of_the_longest_are_told() -> None:
    value = ".".join(["ab", *"c" * 900, "lock", "berth"])
    listed = ("ab", *"c" * 5, "lock", "berth")
    assert pieces_of_pattern(value) == pieces_of_wildcard(value.replace(".", "*")) == listed
