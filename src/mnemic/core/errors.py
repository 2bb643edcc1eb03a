"""The root of Mnemic's errors, and the errors of the core."""

from collections.abc import Iterable
from dataclasses import dataclass

from pydantic_core import PydanticCustomError

__all__ = [
    "MnemicError",
    "NoRoomError",
    "Problem",
    "RuleDocumentError",
    "UnavailableError",
    "invalid",
]


class MnemicError(Exception):
    """Root of every error that Mnemic raises on purpose; its text is meant for a person."""


class UnavailableError(MnemicError):
    """Something that is needed can't be used at the moment; nothing is wrong with what was asked.

    Whoever asked keeps what they have, and tries again.
    """


class NoRoomError(UnavailableError):
    """There is no room left to keep anything more."""


@dataclass(frozen=True, slots=True)
class Problem:
    """One thing that is wrong in a document.

    ``path`` says where, in the form ``rules[3].when.all[1].test`` (empty: the whole document);
    ``message`` says what is wrong and what is allowed instead.
    """

    path: str
    message: str

    def __str__(self) -> str:
        return f"{self.path}: {self.message}" if self.path else self.message


class RuleDocumentError(MnemicError):
    """A rule document that can't be taken; ``problems`` holds everything that is wrong in it."""

    def __init__(self, problems: Iterable[Problem]) -> None:
        self.problems = tuple(problems)
        super().__init__("\n".join(str(problem) for problem in self.problems))


def invalid(problems: Iterable[Problem]) -> PydanticCustomError:
    """The error that a model's validator raises to report problems at places inside the model."""
    found = [(problem.path, problem.message) for problem in problems]
    return PydanticCustomError("invalid", "{reason}", {"reason": found[0][1], "problems": found})
