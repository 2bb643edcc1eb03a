"""Evidence cut to what a person needs to see of it."""

from collections.abc import Iterator

from mnemic.core.evaluation.matching import Evidence, TestTrail
from mnemic.store.journal.trail import EvidencePiece

__all__ = ["evidence_of", "excerpt"]

#: Characters shown before and after the words that matched: about half a line on each side.
_AROUND = 40

#: A whole line of a list; shorter values are shown as they stand.
_LINE = 120


def excerpt(evidence: Evidence) -> EvidencePiece:
    """The words that matched with a little text around them, on one line."""
    start, end = evidence.span
    end = min(end, start + _LINE)
    value = evidence.value
    before, after = value[:start], value[end:]
    if len(value) > _LINE:
        before = f"…{before[-_AROUND:]}" if len(before) > _AROUND else before
        after = f"{after[:_AROUND]}…" if len(after) > _AROUND else after
    before, matched, after = map(_one_line, (before, value[start:end], after))
    return EvidencePiece(
        evidence.field, before + matched + after, len(before), len(before) + len(matched)
    )


def _one_line(text: str) -> str:
    """White space of every kind as single spaces, kept at the ends."""
    joined = " ".join(text.split())
    if not joined:
        return " " if text else ""
    return f"{' ' if text[0].isspace() else ''}{joined}{' ' if text[-1].isspace() else ''}"


def _whole(evidence: Evidence) -> EvidencePiece:
    return EvidencePiece(evidence.field, evidence.value, *evidence.span)


def evidence_of(
    test: TestTrail, *, partly: bool = False, whole: bool = False
) -> Iterator[EvidencePiece]:
    """The excerpts of every condition that held, in the rule's order; none of what was negated.

    With ``partly``, also of those inside brackets that did not hold; ``whole`` gives each value as
    it stands, not cut to an excerpt.
    """
    if test.kind == "not" or not (test.held or partly):
        return
    if test.evidence is not None:
        yield (_whole if whole else excerpt)(test.evidence)
    for inside in test.inside:
        yield from evidence_of(inside, partly=partly, whole=whole)
