"""Mail that waits: large groups in the inbox that are read late or never."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from mnemic.core.actions import FileAction
from mnemic.core.fields import BaseCondition
from mnemic.core.proposals.certainty import CountedMail
from mnemic.core.proposals.message_set import MessageSet
from mnemic.core.proposals.proposing import (
    Proposal,
    StandingRule,
    is_contradicted,
    proposed_rule,
    surest_first,
)

__all__ = ["WaitingGroup", "propose_for_waiting"]

#: So many messages in 30 days are many.
_MANY = 30

#: The share that is still unread after 14 days.
_UNREAD = 0.8


@dataclass(frozen=True)
class WaitingGroup:
    """Mail in the inbox that one condition takes, and the folder that it could have.

    ``taken`` is what the condition takes of all mail, ``inbox`` what of it lies in the inbox.
    Of these were ``lately`` received in the last 30 days, ``older`` more than 14 days ago,
    ``late`` of those unread for 14 days, and ``soon`` of all read within a day.
    """

    condition: BaseCondition
    folder: str
    taken: MessageSet
    inbox: MessageSet
    lately: MessageSet
    older: MessageSet
    late: MessageSet
    soon: MessageSet

    @property
    def waits(self) -> bool:
        """Whether there is much of it, and it is read late or never."""
        late, older = self.late.bit_count(), self.older.bit_count()
        return self.lately.bit_count() >= _MANY and older > 0 and late >= _UNREAD * older


def propose_for_waiting(
    groups: Iterable[WaitingGroup], line: Sequence[StandingRule]
) -> list[Proposal]:
    """A folder for each group that waits; of groups of the same mail one, the shortest to say."""
    waiting = [group for group in groups if group.waits]
    waiting.sort(key=lambda group: (-group.inbox.bit_count(), len(group.folder), group.folder))
    proposed: MessageSet = 0
    proposals = []
    for group in waiting:
        if (group.inbox & proposed).bit_count() * 2 > group.inbox.bit_count():
            continue
        proposed |= group.inbox
        action = FileAction(do="file", folder=group.folder)
        rule = proposed_rule([group.condition], action)
        if not is_contradicted(action, group.taken, line):
            proposals.append(
                Proposal(rule, "waits", CountedMail(group.taken, group.inbox, group.soon))
            )
    return surest_first(proposals)
