"""What a catch-up with one rule would change, counted on arrays: told before it is saved.

The same as the catch-up then does (``jobs.catch_up.passing``); a property test holds the two equal.
"""

from collections.abc import Hashable, Sequence
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.core import Rule
from mnemic.jobs.catch_up.already_done import AlreadyDone
from mnemic.jobs.catch_up.planning import in_usual_folders
from mnemic.jobs.shared.misses import Misses, taken_by_rule
from mnemic.store.line.rule_work import left_to_hands
from mnemic.store.line.rules import StoredRule
from mnemic.store.mail.folders import folders_with_role
from mnemic.store.search.masks import IdRange, Mask, Masks, how_many

__all__ = ["CatchUpCounts"]

#: The id of the rule above that has a message's place, by message; 0: none.
_Placers: TypeAlias = NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class _Claimed:
    """What rules above claim: by claim the messages, those they stop, and who has their place."""

    overruled: dict[Hashable, Mask]
    stopped: Mask
    placed: _Placers


@dataclass(frozen=True, slots=True)
class _Seen:
    """What was seen of a range: why its messages stay is only asked of those that are shown."""

    id_range: IdRange
    usual: Mask
    by_hand: Mask
    settled: Mask
    placed: _Placers


class CatchUpCounts:
    """Counts, range by range, of the messages a rule takes those that a catch-up would change.

    ``respected`` of the others a person changed after the rule acted. ``changed``, ``moved`` and
    ``out_of_inbox`` are what would be done; ``settled`` is in order already.
    """

    def __init__(
        self,
        session: Session,
        rule: Rule,
        masks: Masks,
        *,
        above: Sequence[StoredRule],
        rule_id: int | None,
    ) -> None:
        self._session, self._masks = session, masks
        self._by_hand = _by_hand(session, masks, rule_id)
        self._settled = AlreadyDone(session, rule, masks)
        self._claims = {claim for action in rule.then if (claim := action.claim) is not None}
        self._above = [stored for stored in above if self._may_claim(stored.rule)]
        self._inboxes = folders_with_role(session, "inbox")
        self._seen: list[_Seen] = []
        self.settled = self.respected = self.changed = self.moved = self.out_of_inbox = 0

    def _may_claim(self, above: Rule) -> bool:
        if not above.enabled or "arrival" not in above.runs:
            return False
        return above.stop or any(action.claim in self._claims for action in above.then)

    def add(self, misses: Misses, takes: Mask, id_range: IdRange) -> None:
        """Count the messages of a range of ids, of which the rule takes some."""
        usual = in_usual_folders(self._session, self._masks, id_range)
        settled = self._settled.of(id_range)
        by_hand = self._by_hand[id_range.low + 1 : id_range.high + 1]
        claimed = self._claimed(misses, takes, id_range)
        free = takes & usual & ~claimed.stopped & ~by_hand
        moved = free & self._settled.moved(id_range)
        if "place" in claimed.overruled:
            moved &= ~claimed.overruled["place"]
        self.settled += how_many(settled & takes)
        self.respected += how_many(takes & usual & ~settled & by_hand)
        self.changed += how_many(free & self._settled.changed(id_range, claimed.overruled))
        self.moved += how_many(moved)
        self.out_of_inbox += how_many(moved & self._masks.in_folders(self._inboxes, id_range))
        self._seen.append(_Seen(id_range, usual, by_hand, settled, claimed.placed))

    def _claimed(self, misses: Misses, takes: Mask, id_range: IdRange) -> _Claimed:
        overruled: dict[Hashable, Mask] = {c: np.zeros_like(takes) for c in self._claims}
        placed, left = np.zeros(takes.size, np.int64), takes
        for stored in self._above:
            if not left.any():
                break
            rule = stored.rule
            hit = left & taken_by_rule(self._session, self._masks, misses, rule, id_range)
            for claim in self._claims & {action.claim for action in rule.then}:
                overruled[claim] |= hit
                if claim == "place":
                    placed[hit & (placed == 0)] = stored.id
            if rule.stop:
                placed[hit & (placed == 0)] = stored.id
                left = left & ~hit
        return _Claimed(overruled, takes & ~left, placed)

    def why_it_stays(self, message_id: int) -> str:
        """Why a message that the rule takes stays where it is in a catch-up; empty: it does not."""
        for seen in self._seen:
            if seen.id_range.low < message_id <= seen.id_range.high:
                at = message_id - seen.id_range.low - 1
                if not seen.usual[at]:
                    return "left out of a catch-up"
                if seen.by_hand[at] and not seen.settled[at]:
                    return "as you put it"
                above = [stored for stored in self._above if stored.id == int(seen.placed[at])]
                return f"left to {above[0].rule.name}" if above else ""
        return ""


def _by_hand(session: Session, masks: Masks, rule_id: int | None) -> Mask:
    """The messages that a person changed after this rule last acted on them, by id."""

    def find() -> Mask:
        mask = np.zeros(masks.top + 1, np.bool_)
        if rule_id is not None:
            for messages in left_to_hands(session, [rule_id]).values():
                mask[messages] = True
        return mask

    return masks.remembered(("changed by hand", rule_id), find)  # type: ignore[no-any-return] # what find made
