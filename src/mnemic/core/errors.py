"""The root of Mnemic's errors, and the errors of the core."""

from collections.abc import Iterable, Sized
from dataclasses import dataclass
from typing import TypeVar

from pydantic import AfterValidator, ValidationInfo
from pydantic_core import PydanticCustomError

from mnemic.core.bounds import text_problem

__all__ = [
    "AS_STORED",
    "MnemicError",
    "NoRoomError",
    "Problem",
    "RuleDocumentError",
    "UnavailableError",
    "at_most",
    "invalid",
    "is_stored",
    "plain_name",
    "plain_text",
]


Measured = TypeVar("Measured", bound=Sized)


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


#: The context in which a model reads what was taken once: it keeps what it holds, though a limit
#: has become narrower since.
AS_STORED = {"stored": True}


def is_stored(info: ValidationInfo) -> bool:
    """Whether a validator reads what was taken once, so that no limit counts."""
    return info.context == AS_STORED


def _plain(text: str, *, lines: bool) -> str:
    problem = text_problem(text, lines=lines)
    if problem is not None:
        raise PydanticCustomError("plain_text", "{reason}", {"reason": problem})
    return text


def plain_text(text: str, info: ValidationInfo) -> str:
    """A model's validator: the text, if it holds what texts of several lines may.

    Raises PydanticCustomError otherwise.
    """
    return text if is_stored(info) else _plain(text, lines=True)


def plain_name(text: str, info: ValidationInfo) -> str:
    """The same of a text on one line."""
    return text if is_stored(info) else _plain(text, lines=False)


def at_most(most: int) -> AfterValidator:
    """A model's validator: a text of so many characters, or a list of so many things."""

    def check(value: Measured, info: ValidationInfo) -> Measured:
        if len(value) > most and not is_stored(info):
            what = "characters that it may have" if isinstance(value, str) else "that there may be"
            reason = f"holds more than the {most:,} {what}; leave some out"
            raise PydanticCustomError("beyond", "{reason}", {"reason": reason})
        return value

    return AfterValidator(check)


def invalid(problems: Iterable[Problem]) -> PydanticCustomError:
    """The error that a model's validator raises to report problems at places inside the model."""
    complaints = [(problem.path, problem.message) for problem in problems]
    return PydanticCustomError(
        "invalid", "{reason}", {"reason": complaints[0][1], "problems": complaints}
    )
