"""What is wrong with a script, each thing with its line and column."""

from collections.abc import Iterable, Sequence
from typing import NamedTuple

from mnemic.core.errors import MnemicError

__all__ = ["SieveError", "SieveProblem"]

#: Problems that are told of one script: who reads more than a screen of them?
_MOST_TOLD = 100


class SieveProblem(NamedTuple):
    """One thing that is wrong in a script. Lines and columns count from 1, in characters."""

    line: int
    column: int
    reason: str

    def __str__(self) -> str:
        return f"line {self.line}, column {self.column}: {self.reason}"


class SieveError(MnemicError):
    """A script that can't be taken; ``problems`` holds what is wrong in it, in its order.

    Of more than a hundred problems the first hundred are told, and how many there are.
    """

    def __init__(self, problems: Iterable[SieveProblem]) -> None:
        self.problems: Sequence[SieveProblem] = tuple(sorted(set(problems)))
        lines = [str(problem) for problem in self.problems[:_MOST_TOLD]]
        if len(self.problems) > _MOST_TOLD:
            lines.append(f"{len(self.problems):,} problems in all; the first {_MOST_TOLD} are told")
        super().__init__("\n".join(lines))
