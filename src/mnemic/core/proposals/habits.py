"""What the owner does by hand, again and again."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from functools import cached_property

from mnemic.core.actions import Action
from mnemic.core.proposals.message_set import MessageSet, set_of

__all__ = ["MOST_SELECTED", "Habit", "HandAct"]

#: A selection of more messages counts as one act: who clears a year of mail decides once.
MOST_SELECTED = 100

#: Fewer acts, or all of them on fewer days, are no habit.
_FEWEST_ACTS, _FEWEST_DAYS = 3, 2


@dataclass(frozen=True, slots=True)
class HandAct:
    """One act: the messages for which it still stands, and the owner's day on which it was done.

    ``selected`` is how many messages it was done to at once, also those for which it does not stand
    any more.
    """

    messages: tuple[int, ...]
    selected: int
    day: date


@dataclass(frozen=True)
class Habit:
    """All acts of one kind, and the action of a rule that would do the same."""

    action: Action
    acts: Sequence[HandAct]

    @cached_property
    def did(self) -> MessageSet:
        """The messages that it was done to, those of large selections left out."""
        return set_of(key for act in self._single for key in act.messages)

    @property
    def _single(self) -> list[HandAct]:
        return [act for act in self.acts if act.selected <= MOST_SELECTED]

    @cached_property
    def _by_message(self) -> dict[int, date]:
        return {key: act.day for act in self._single for key in act.messages}

    @cached_property
    def _large(self) -> list[tuple[MessageSet, date]]:
        large = [act for act in self.acts if act.selected > MOST_SELECTED]
        return [(set_of(act.messages), act.day) for act in large]

    def is_one_with(self, taken: MessageSet) -> bool:
        """Whether it was done often enough, on days enough, to messages of a set."""
        days = [day for key, day in self._by_message.items() if taken >> key & 1]
        days += [day for messages, day in self._large if messages & taken]
        return len(days) >= _FEWEST_ACTS and len(set(days)) >= _FEWEST_DAYS
