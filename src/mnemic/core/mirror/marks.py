"""What both sides know of a message, and what they agree on where both have changed it."""

from dataclasses import dataclass

__all__ = ["Marks", "agreed"]


@dataclass(frozen=True, slots=True)
class Marks:
    """Where a message lies and what it bears.

    ``place`` is a folder, by whatever names it on both sides alike. ``keywords`` are those that
    are labels here, in small letters: keywords are the same in any case (RFC 9051, section 2.3.2).
    """

    place: int
    seen: bool = False
    flagged: bool = False
    keywords: frozenset[str] = frozenset()


def agreed(before: Marks, here: Marks, there: Marks, *, placed_by_rule: bool = False) -> Marks:
    """What a message is to be on both sides, which were in step when it was as ``before``.

    What one side alone has changed holds. Each flag and label stands for itself, and of two that
    both sides changed there is nothing to decide: they can only be on or off. Where both moved it,
    the other side holds if it was a rule that moved it here, else here holds, being the later
    known.
    """
    if here.place == before.place or (there.place != before.place and placed_by_rule):
        place = there.place
    else:
        place = here.place
    return Marks(
        place,
        _flag(before.seen, here.seen, there.seen),
        _flag(before.flagged, here.flagged, there.flagged),
        frozenset(
            keyword
            for keyword in before.keywords | here.keywords | there.keywords
            if _flag(*(keyword in side.keywords for side in (before, here, there)))
        ),
    )


def _flag(before: bool, here: bool, there: bool) -> bool:
    return there if here == before else here
