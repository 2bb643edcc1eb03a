"""Laws of folding, against the definition in the standard library's Unicode tables."""

import unicodedata

from hypothesis import given
from hypothesis import strategies as st

from mnemic.core.text.folding import FoldedSpans, exact, fold

# Characters for which folding is more than lowering, beside any others.
TRICKY = (
    "ßẞİıſﬁǰΐŉ\u0345\u0301\u0327가각\u1100\u1161\u11a8ｶﾞ\u00a8½\u00ad\u200b\u00a0 \n\tAaέ\u03c2Ⅷ"
)
TEXTS = st.text(st.one_of(st.sampled_from(TRICKY), st.characters(codec="utf-8")), max_size=30)


def defined(text: str) -> str:
    """The rule document's definition, word for word."""
    for invisible in "\u00ad\u200b\u200c\u200d\u2060\ufeff":
        text = text.replace(invisible, "")
    text = unicodedata.normalize("NFKC", text).casefold()
    return " ".join(unicodedata.normalize("NFKC", text).split())


@given(TEXTS)
def test_folds_as_defined(text: str) -> None:
    assert fold(text) == defined(text)
    assert fold(text.upper()) == defined(text.upper())


@given(TEXTS)
def test_spans_see_the_same_folding(text: str) -> None:
    assert FoldedSpans(text).folded == fold(text)
    assert FoldedSpans(text, case=True).folded == exact(text)


@given(TEXTS, TEXTS, TEXTS)
def test_a_span_leads_back_to_text_that_folds_to_what_was_found(a: str, b: str, c: str) -> None:
    original = f"{a} {b} {c}"
    folded, wanted = fold(original), fold(b)
    start = folded.find(wanted)
    if wanted and start >= 0:
        first, last = FoldedSpans(original).original(start, start + len(wanted))
        assert wanted in fold(original[first:last])
