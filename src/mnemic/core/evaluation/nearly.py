"""Nearly: mail that a rule misses by exactly one condition, and which."""

from dataclasses import dataclass

from mnemic.core.evaluation.matching import TestTrail
from mnemic.core.evaluation.outcome import RuleTrail

__all__ = ["Missing", "distance", "flips_needed", "missing"]


@dataclass(frozen=True, slots=True)
class Missing:
    """The one condition that keeps a rule from taking a message.

    ``spared`` tells that it did hold where it should not: in *unless*, or turned round by *not*.
    """

    condition: TestTrail
    spared: bool


def flips_needed(trail: TestTrail, wanted: bool) -> tuple[TestTrail, ...] | None:
    """The fewest conditions that would have to answer otherwise for the test to answer ``wanted``.

    None where no answers of its conditions could bring that about.
    """
    if trail.held == wanted:
        return ()
    if trail.kind == "condition":
        return (trail,)
    if trail.kind == "not":
        return flips_needed(trail.inside[0], not wanted)
    if trail.kind == "always":
        return None
    inside = [flips_needed(inner, wanted) for inner in trail.inside]
    every = (trail.kind == "all") == wanted  # all to hold, or any not to: each counts
    if not every:
        return min((inner for inner in inside if inner is not None), key=len, default=None)
    flips: list[TestTrail] = []
    for inner in inside:
        if inner is None:
            return None
        flips += inner
    return tuple(flips)


def _spoken_for(trail: TestTrail) -> bool:
    """Whether a condition holds that is not negated, so that there is evidence for the rule."""
    if trail.kind == "condition":
        return trail.held
    return trail.kind != "not" and any(map(_spoken_for, trail.inside))


def _flips(tried: RuleTrail) -> tuple[TestTrail, ...] | None:
    """The fewest conditions that would have to answer otherwise for the rule to take it."""
    parts = [flips_needed(tried.when, True)]
    if tried.unless is not None:
        parts.append(flips_needed(tried.unless, False))
    if tried.active is not None:
        parts.append(flips_needed(tried.active, True))
    flips: list[TestTrail] = []
    for part in parts:
        if part is None:
            return None
        flips += part
    return tuple(flips)


def distance(tried: RuleTrail) -> int | None:
    """How few conditions keep a rule from a message; None where no answers could let it take it."""
    flips = _flips(tried)
    return None if flips is None else len(flips)


def missing(tried: RuleTrail) -> Missing | None:
    """The one condition by which a rule misses a message; None where it is taken or misses more.

    Without any evidence for the rule a message is not nearly taken: else a rule of one condition
    would nearly take all the rest of the mailbox.
    """
    if not tried.when.held and not _spoken_for(tried.when):
        return None
    flips = _flips(tried)
    if flips is None or len(flips) != 1:
        return None
    return Missing(flips[0], flips[0].held)
