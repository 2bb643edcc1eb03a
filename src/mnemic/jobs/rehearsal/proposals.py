"""Proposals: conditions for a rule that several messages were chosen for."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

import numpy as np
from sqlmodel import Session

from mnemic.core import Given
from mnemic.core.common_facts import facts_in_common
from mnemic.core.evaluation.matching import try_test
from mnemic.core.facts import Fact
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.jobs.shared.misses import Misses
from mnemic.store.mail.message_views import stored_messages
from mnemic.store.search.masks import IdRange, Mask, Masks

__all__ = ["Proposal", "propose"]

#: Messages that are compared; a larger choice is told by its newest.
_COMPARED = 200


@dataclass(frozen=True, slots=True)
class Proposal:
    """A condition that takes all of the messages, and how many others it would take, too.

    ``picked``: it belongs to the narrowest choice, each condition of which leaves others out.
    """

    fact: Fact
    others: int
    picked: bool


def propose(session: Session, ids: Sequence[int], *, now: datetime) -> list[Proposal]:
    """What the messages have in common, the narrowest condition first."""
    around = MailboxCircumstances(session, now)
    messages = list(stored_messages(session, iter(list(ids)[:_COMPARED])))
    if not messages:
        return []
    received = [datetime.fromtimestamp(stored.row.received_at, UTC) for stored in messages]
    each_around = [around.of(at, m.id) for at, m in zip(received, messages, strict=True)]
    facts = [
        fact
        for fact in facts_in_common(messages, each_around)
        if all(
            try_test(fact.condition, message, Given(message.state, circumstances)).held
            for message, circumstances in zip(messages, each_around, strict=True)
        )
    ]
    masks = Masks(session, around.of(now))
    id_range = IdRange(0, masks.top)
    misses = Misses.within(masks, id_range)
    others = masks.there(id_range).copy()
    others[np.array(list(ids), np.int64) - 1] = False
    taken = {fact: misses.holds(fact.condition) & others for fact in facts}
    narrowest = sorted(facts, key=lambda fact: int(taken[fact].sum()))
    picked = _picked(narrowest, taken)
    return [
        Proposal(offered, int(taken[offered].sum()), offered in picked) for offered in narrowest
    ]


def _picked(narrowest: Sequence[Fact], taken: dict[Fact, Mask]) -> set[Fact]:
    """The narrowest, and of the next ones each that leaves others out besides."""
    picked: set[Fact] = set()
    left: Mask | None = None
    for fact in narrowest:
        fewer = taken[fact] if left is None else left & taken[fact]
        if left is None or fewer.sum() < left.sum():
            picked.add(fact)
            left = fewer
        if not left.any():
            break
    return picked
