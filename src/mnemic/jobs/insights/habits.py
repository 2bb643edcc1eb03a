"""The habits of the owner, read from the journal."""

from collections import defaultdict
from collections.abc import Iterator
from datetime import datetime

from sqlmodel import Session

from mnemic.core.actions import Action, FileAction, LabelAction, MarkAction, PlaceAction
from mnemic.core.proposals import Habit, HandAct
from mnemic.store.journal.causes import Cause
from mnemic.store.journal.standing_acts import StandingAct, standing_acts
from mnemic.store.mail.folders import list_folders
from mnemic.store.mail.labels import label_names
from mnemic.store.owner.preferences import read_preferences

__all__ = ["habits_of_owner"]


class _Actions:
    """The action of a rule that makes the same change as a person made."""

    def __init__(self, session: Session) -> None:
        self._folders = {folder.id: folder for folder in list_folders(session)}
        self._labels = label_names(session)

    def of(self, cause: Cause) -> Action | None:
        """The action; None for what no rule is to be made of, as moving mail to the inbox."""
        if cause.slot == "folder_id":
            return self._place(cause)
        if cause.slot == "label":
            name = self._labels.get(int(cause.after or 0))
            return None if name is None else LabelAction(do="label", label=name)
        if cause.slot in ("seen", "flagged") and cause.after == "1":
            return MarkAction(do="read" if cause.slot == "seen" else "flag")
        return None

    def _place(self, cause: Cause) -> Action | None:
        folder = self._folders.get(int(cause.after or 0))
        # What comes from where nobody sees it is a copy, or erased mail that was brought back.
        if folder is None or int(cause.before or 0) not in self._folders:
            return None
        if folder.role in ("archive", "trash"):
            return PlaceAction(do=folder.role)
        if folder.role in (None, "junk"):
            return FileAction(do="file", folder=folder.path)
        return None


def habits_of_owner(session: Session, *, like: int | None = None) -> list[Habit]:
    """What the owner did by hand, by kind; what was undone, or changed since, is left out.

    With ``like``, what was done in that run is enough to know whole; the rest may be left out.
    """
    acts: dict[Action, dict[int, list[int]]] = defaultdict(lambda: defaultdict(list))
    runs: dict[int, tuple[int, int]] = {}
    for action, act in _learnt_from(session, like):
        acts[action][act.cause.run_id].append(act.message_id)
        runs[act.cause.run_id] = (act.cause.at, act.selected)
    zone = read_preferences(session).zone
    return [
        Habit(
            action,
            [
                HandAct(
                    tuple(messages), runs[run][1], datetime.fromtimestamp(runs[run][0], zone).date()
                )
                for run, messages in by_run.items()
            ],
        )
        for action, by_run in acts.items()
    ]


def _learnt_from(session: Session, like: int | None) -> Iterator[tuple[Action, StandingAct]]:
    actions = _Actions(session)
    for act in standing_acts(session, like=like):
        action = actions.of(act.cause)
        if action is not None:
            yield action, act
