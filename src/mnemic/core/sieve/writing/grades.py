"""How near a script comes to what a rule means."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from enum import IntEnum

from mnemic.core.sieve.syntax import Test

__all__ = ["FOLDING", "Grade", "Said", "close", "folded", "joined", "no", "same"]


class Grade(IntEnum):
    """The grades, from always the same answer to none at all."""

    SAME = 0
    CLOSE = 1
    NO = 2

    @property
    def word(self) -> str:
        """As people are told."""
        return self.name.lower()


#: The sentence for what differs by folding alone.
FOLDING = (
    "the server takes only a to z for A to Z, and nothing else for equal "
    "(no other letters, full-width forms or runs of white space)"
)


@dataclass(frozen=True, slots=True)
class Said:
    """A test as a script says it, how near it comes, and where it differs; no test where it can't.

    ``why`` are ends of sentences, each said once.
    """

    test: Test | None
    grade: Grade = Grade.SAME
    why: tuple[str, ...] = ()

    def but(self, *why: str) -> "Said":
        """The same, which differs in these points, too."""
        return Said(
            self.test, max(self.grade, Grade.CLOSE), tuple(dict.fromkeys((*self.why, *why)))
        )


def same(test: Test) -> Said:
    """A test with the same answer on every message."""
    return Said(test)


def folded(test: Test) -> Said:
    """A test that differs by folding alone."""
    return Said(test, Grade.CLOSE, (FOLDING,))


def close(test: Test, *why: str) -> Said:
    """A test with the same answer on ordinary mail; what differs by folding is told with it."""
    return Said(test, Grade.CLOSE, (FOLDING, *why))


def no(why: str) -> Said:
    """What no script can say."""
    return Said(None, Grade.NO, (why,))


def joined(parts: Iterable[Said], join: Callable[..., Test]) -> Said:
    """Several as one: as near as the worst of them comes."""
    several = tuple(parts)
    grade = max(part.grade for part in several)
    why = tuple(
        dict.fromkeys(
            reason
            for part in several
            for reason in part.why
            if grade < Grade.NO or part.grade == Grade.NO
        )
    )
    if grade == Grade.NO:
        return Said(None, grade, why)
    return Said(join(*(part.test for part in several)), grade, why)
