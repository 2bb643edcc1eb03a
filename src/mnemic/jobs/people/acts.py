"""What a person does with messages: one, a selection, a folder, a whole search result."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal, Self, TypeAlias, assert_never

from pydantic import BaseModel, ConfigDict, StrictInt, model_validator
from sqlmodel import Session

from mnemic.core import MnemicError
from mnemic.core.actions import BaseAction
from mnemic.core.actions.effect import CopyTo, Effect, Label, MoveTo, SetColumn
from mnemic.core.wording import spoken_path
from mnemic.jobs.shared.crossing import cross
from mnemic.jobs.shared.destinations import destinations, made_destination
from mnemic.jobs.shared.gathered_changes import copy_all
from mnemic.jobs.shared.large_moves import ask_about_chosen
from mnemic.jobs.shared.watched import refuse_watched
from mnemic.store.journal.changes import put_label, restore_folders, set_slot, take_label
from mnemic.store.journal.chosen import choose_ids, chosen_by_mailbox
from mnemic.store.journal.runs import begin_run, finish_run
from mnemic.store.journal.trail import labels_put_by_rules
from mnemic.store.mail.folders import (
    LOCAL,
    ensure_folder,
    folder_paths,
    folder_with_role,
    mailboxes_of_folders,
)
from mnemic.store.mail.labels import ensure_label, label_called
from mnemic.store.search.selection import Selection, choose

__all__ = ["Act", "Acted", "NotAnActError", "PlainAct", "act"]


class NotAnActError(MnemicError):
    """An action that rules have and people have not: forward, reply, notify."""


class PlainAct(BaseModel):
    """What people do and rules don't.

    ``restore`` takes a message back to where it was before it came to its folder; ``put_back``
    undoes what rules did to it: back to the inbox, without the labels they put on. ``move_to``
    takes it into the ``folder`` of that id, of whichever mailbox that is.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    do: Literal["restore", "put_back", "uncolour", "move_to"]
    folder: StrictInt | None = None

    @model_validator(mode="after")
    def _names_a_folder(self) -> Self:
        if (self.do == "move_to") != (self.folder is not None):
            raise ValueError("name a folder with move_to, and with it alone")
        return self


Act: TypeAlias = BaseAction | PlainAct


@dataclass(frozen=True, slots=True)
class Acted:
    """What an act came to: its run (None where nothing had to change), and what to say of it."""

    run_id: int | None
    messages: int
    saying: str


class _Doing:
    """Does one act to the chosen messages, under a run."""

    def __init__(self, session: Session, run_id: int, at: int) -> None:
        self._session, self._run_id, self._at = session, run_id, at
        #: Messages that the run knows twice: as they were, and as their copies in another mailbox.
        self.twice = 0

    def _set(self, slot: Any, value: Any) -> None:
        set_slot(self._session, self._run_id, slot, value, at=self._at)

    def _move(self, to: Callable[[int], int]) -> None:
        """Move each into a folder of its own mailbox."""
        by_mailbox = chosen_by_mailbox(self._session)
        for mailbox_id, ids in by_mailbox.items():
            if len(by_mailbox) > 1:
                choose_ids(self._session, ids)
            self._set("folder_id", to(mailbox_id))
        if len(by_mailbox) > 1:
            choose_ids(self._session, [key for ids in by_mailbox.values() for key in ids])

    def do(self, what: Act) -> str:
        """Do it; what was done, in words."""
        if isinstance(what, PlainAct):
            return self._plain(what)
        self._carry_out(_effect(what))
        return what.deed_by_hand()

    def _carry_out(self, effect: Effect) -> None:
        session, run_id = self._session, self._run_id
        match effect:
            case MoveTo():
                self._move(lambda mailbox_id: made_destination(session, effect, mailbox_id))
            case SetColumn():
                self._set(effect.column, effect.value)
            case Label(put=True):
                put_label(session, run_id, ensure_label(session, effect.name))
            case Label():
                take_label(session, run_id, ensure_label(session, effect.name))
            case CopyTo():
                for mailbox_id, ids in chosen_by_mailbox(session).items():
                    folder_id = ensure_folder(session, effect.path, mailbox_id)
                    copies = [(key, folder_id, None) for key in ids]
                    copy_all(session, run_id, copies, at=self._at)
            case _:
                assert_never(effect)

    def _plain(self, act: PlainAct) -> str:
        if act.do == "uncolour":
            self._set("colour", None)
            return "no longer coloured"
        if act.do == "move_to":
            return self._move_to(act.folder or 0)
        if act.do == "restore":
            restore_folders(self._session, self._run_id, at=self._at)
            return "restored"
        self._put_back()
        return "put back"

    def _move_to(self, folder_id: int) -> str:
        """Into one folder, also out of another mailbox."""
        target = mailboxes_of_folders(self._session).get(folder_id)
        if target is None:
            raise NotAnActError("that folder is there no more; choose another one")
        for mailbox_id, ids in chosen_by_mailbox(self._session).items():
            if mailbox_id == target:
                choose_ids(self._session, ids)
                self._set("folder_id", folder_id)
            else:
                cross(self._session, self._run_id, ids, folder_id, target, at=self._at)
                self.twice += len(ids) if target == LOCAL else 0
        return f"moved to {spoken_path(folder_paths(self._session)[folder_id])}"

    def _put_back(self) -> None:
        for name in labels_put_by_rules(self._session):
            label = label_called(self._session, name)
            if label is not None:
                take_label(self._session, self._run_id, label)
        self._move(lambda mailbox_id: folder_with_role(self._session, "inbox", mailbox_id))


def _effect(action: BaseAction) -> Effect:
    """What an action does, as to mail that has just come in: kept, it goes to the inbox."""
    effect = action.effect("arrival")
    if effect is None:
        raise NotAnActError(f"“{action.do}” is for rules; choose something else")
    return effect


def act(
    session: Session, selection: Selection, what: Act, *, at: int, ask_first: bool = False
) -> Acted:
    """Do something to every message of a selection, under a run that can be undone.

    ``at`` is in seconds since 1970-01-01 UTC. Raises NotAnActError for what only rules do, and
    LargeMoveError with a question where it is to ``ask_first`` and much of the mail would move,
    WatchedError where some of it is of an account that is only watched.
    """
    effect = None if isinstance(what, PlainAct) else _effect(what)
    choose(session, selection)
    refuse_watched(session, chosen_by_mailbox(session))
    if isinstance(what, PlainAct) and what.folder is not None:
        refuse_watched(session, [mailboxes_of_folders(session).get(what.folder, LOCAL)])
    if ask_first and isinstance(effect, MoveTo):
        ask_about_chosen(session, destinations(session, effect))
    run_id = begin_run(session, at=at, actor="person")
    doing = _Doing(session, run_id, at)
    verb = doing.do(what)
    changed = finish_run(session, run_id, "") - doing.twice
    if not changed:
        return Acted(None, 0, f"Already {verb}")
    saying = f"{changed:,} message{'' if changed == 1 else 's'} {verb}"
    finish_run(session, run_id, saying)
    return Acted(run_id, changed, saying)
