"""What moves much of the mail at once is asked about first, with its number."""

from collections.abc import Iterator
from dataclasses import dataclass

from sqlmodel import Session

from mnemic.core import MnemicError
from mnemic.store.journal.chosen import count_moving
from mnemic.store.mail.folders import folders_with_role
from mnemic.store.mail.listing import count_messages

__all__ = ["LargeMove", "LargeMoveError", "ask_about_chosen", "question_about"]

#: So many messages nobody looks through again, to see whether it was meant.
_MANY = 1_000

#: The part of all mail from which on a mailbox looks like another one afterwards.
_MUCH = 1 / 4


class LargeMoveError(MnemicError):
    """A move of much of the mail that nobody was asked about; the text is the question."""


@dataclass(frozen=True, slots=True)
class LargeMove:
    """How many messages go to the trash, are erased, and leave the inbox, of all mail there is."""

    to_trash: int
    erased: int
    out_of_inbox: int
    all_mail: int

    def _parts(self) -> Iterator[tuple[int, str]]:
        yield self.to_trash, "to the trash"
        yield self.erased, "out of sight, to be gone for good later"
        yield self.out_of_inbox, "out of the inbox"

    @property
    def largest(self) -> tuple[int, str] | None:
        """Where most messages go, and how many, if that is a large move; one message never is."""
        much = min(_MANY, self.all_mail * _MUCH)
        large = [part for part in self._parts() if part[0] > max(much, 1)]
        return max(large, key=lambda move: move[0]) if large else None


def question_about(move: LargeMove) -> str | None:
    """What is asked about a move before it is made; None where it is small."""
    largest = move.largest
    if largest is None:
        return None
    count, where = largest
    return f"{count:,} of {move.all_mail:,} messages move {where}"


def ask_about_chosen(session: Session, targets: tuple[int, ...]) -> None:
    """Ask before the journal's ``chosen`` messages move into a folder, each of its own mailbox.

    ``targets`` are that folder in the mailboxes that have it.

    Raises LargeMoveError with the question, where that is much of the mail.
    """
    erased = folders_with_role(session, "erased")
    moving, leaving = count_moving(
        session, targets, inboxes=folders_with_role(session, "inbox"), erased=erased[0]
    )
    question = question_about(
        LargeMove(
            to_trash=moving if targets == folders_with_role(session, "trash") else 0,
            erased=moving if targets == erased else 0,
            out_of_inbox=leaving,
            all_mail=count_messages(session),
        )
    )
    if question is not None:
        raise LargeMoveError(question)
