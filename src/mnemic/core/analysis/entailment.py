"""What follows from a condition by logic alone, whatever the message.

Both answers err on the side of "not known": what is said to follow, follows. Conditions here have
one value each; the fields say what they know of themselves (``core.fields``).
"""

from functools import lru_cache

from mnemic.core.fields import BaseCondition

__all__ = ["excludes", "follows"]


@lru_cache(maxsize=65_536)
def follows(one: BaseCondition, other: BaseCondition) -> bool:
    """Whether every message for which ``one`` holds is one for which ``other`` does."""
    return one == other or one.implies(other)


@lru_cache(maxsize=65_536)
def excludes(one: BaseCondition, other: BaseCondition) -> bool:
    """Whether there is no message for which both hold."""
    return one.excludes(other) or other.excludes(one)
