"""Which mail is already as a rule's actions would have it."""

from collections.abc import Callable, Hashable, Mapping
from functools import partial
from typing import TypeAlias, assert_never

import numpy as np
from sqlmodel import Session

from mnemic.core import Rule
from mnemic.core.actions.effect import CopyTo, Effect, Label, MoveTo, SetColumn
from mnemic.jobs.shared.destinations import destinations
from mnemic.store.mail.folders import folders_at
from mnemic.store.mail.labels import label_called
from mnemic.store.search.masks import IdRange, Mask, Masks

__all__ = ["AlreadyDone"]

#: The id of a label that is still to be made.
_NONE_YET = 0

_Wanted: TypeAlias = Callable[[IdRange], Mask]


class AlreadyDone:
    """The messages that a rule's actions would leave unchanged, as masks over ids."""

    def __init__(self, session: Session, rule: Rule, masks: Masks) -> None:
        self._session, self._masks = session, masks
        claims = [(action.claim, self._wanted(action.effect("hand"))) for action in rule.then]
        self._all = [(claim, wanted) for claim, wanted in claims if wanted is not None]

    def of(self, id_range: IdRange) -> Mask:
        """The messages of a range of ids that are as wanted."""
        mask = self._masks.there(id_range)
        for _, wanted in self._all:
            mask = mask & wanted(id_range)
        return mask

    def changed(self, id_range: IdRange, overruled: Mapping[Hashable, Mask]) -> Mask:
        """The messages that would change, not counting what rules above have claimed."""
        mask = np.zeros(id_range.size, np.bool_)
        for claim, wanted in self._all:
            changed = ~wanted(id_range)
            if claim is not None and claim in overruled:
                changed &= ~overruled[claim]
            mask |= changed
        return mask

    def moved(self, id_range: IdRange) -> Mask:
        """The messages that are elsewhere than the rule puts them."""
        mask = np.zeros(id_range.size, np.bool_)
        for claim, wanted in self._all:
            if claim == "place":
                mask |= ~wanted(id_range)
        return mask

    def _wanted(self, effect: Effect | None) -> _Wanted | None:
        """Which messages an effect leaves unchanged; None where it changes no message."""
        match effect:
            case None:
                return None
            case MoveTo():
                return partial(self._masks.in_folders, destinations(self._session, effect))
            case SetColumn():
                return partial(self._masks.with_value, effect.column, effect.value)
            case Label():
                labelled = partial(
                    self._masks.labelled, label_called(self._session, effect.name) or _NONE_YET
                )
                return labelled if effect.put else lambda id_range: ~labelled(id_range)
            case CopyTo():
                return partial(self._masks.copied_to, folders_at(self._session, effect.path))
            case _:
                assert_never(effect)
