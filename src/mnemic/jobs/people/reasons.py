"""Why a message is as it is, on one line: from what was really done, and still stands."""

import json
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any, assert_never

from sqlmodel import Session

from mnemic.core.actions import ACTIONS, BaseAction
from mnemic.core.errors import AS_STORED
from mnemic.core.evidence_words import because_saying
from mnemic.core.wording import joined
from mnemic.store.engine.tables import MessageRow
from mnemic.store.journal.causes import Cause, causes_of
from mnemic.store.journal.trail import TrailEntry
from mnemic.store.line.rules import rule_names
from mnemic.store.mail.folders import folder_with_role, folders_with_role
from mnemic.store.mail.labels import label_names

__all__ = ["Reason", "deeds_of", "reasons_for", "undone_deeds_of"]


@dataclass(frozen=True, slots=True)
class Reason:
    """Why a message is as it is. ``saying`` ends before the name of the rule, if it was one.

    ``entry`` is what the rule's trail says of this message, where it says something. ``at`` is in
    seconds since 1970-01-01 UTC.
    """

    saying: str
    at: int
    rule_id: int | None = None
    rule_name: str = ""
    entry: TrailEntry | None = None

    @property
    def because(self) -> str:
        """The evidence in a few words: "came to moorings@, “permit”"; empty where there is none."""
        pieces = self.entry.evidence if self.entry else ()
        said = (because_saying(e.field, e.value, e.start, e.end) for e in pieces)
        return ", ".join(dict.fromkeys(said))


def deeds_of(entry: TrailEntry) -> list[str]:
    """What a rule did to a message, in words; neither what was overruled nor what was held back."""
    return [action.deed() for action in _done(entry)]


def undone_deeds_of(entry: TrailEntry) -> list[str]:
    """What a rule did not do, and why: "not labelled Permit: “Moorings” came first"."""
    undone = []
    for action in json.loads(entry.actions):
        said = _action(action).deed()
        if action["overruled_by"] is not None:
            undone.append(f"not {said}: “{action['overruled_by']}” came first")
        elif action["held_back"] is not None:
            undone.append(f"not {said}, because {action['held_back']}")
    return undone


def _action(written: dict[str, Any]) -> BaseAction:
    return ACTIONS[written["action"]["do"]].model_validate(written["action"], context=AS_STORED)


def _done(entry: TrailEntry) -> Iterator[BaseAction]:
    for action in json.loads(entry.actions):
        if action["overruled_by"] is None and action["held_back"] is None:
            yield _action(action)


def reasons_for(
    session: Session, rows: Iterable[MessageRow], trails: Mapping[int, list[TrailEntry]]
) -> dict[int, Reason]:
    """Why each message is as it is; one that nobody has touched has no reason."""
    listed = list(rows)
    looking = _Looking(session)
    causes = causes_of(session, [row.id or 0 for row in listed])
    reasons = {}
    for row in listed:
        key = row.id or 0
        reason = looking.at(row, causes.get(key, []), trails.get(key, []))
        if reason is not None:
            reasons[key] = reason
    return reasons


class _Looking:
    """Looks for the reasons of many messages."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._labels = {str(key): name for key, name in label_names(session).items()}
        self._inboxes = folders_with_role(session, "inbox")
        self._erased = str(folder_with_role(session, "erased"))

    def at(self, row: MessageRow, causes: list[Cause], trail: list[TrailEntry]) -> Reason | None:
        """The reason that is told of a message: where it is, else how it is, else what went out."""
        place = next((cause for cause in causes if cause.slot == "folder_id"), None)
        if place is not None and place.after == str(row.folder_id):
            return self._placed(place, trail)
        if row.folder_id in self._inboxes:
            for entry in trail[::-1]:
                if entry.event in ("arrival", "server") and "keep" in _names(entry):
                    return _told("kept in the inbox by", entry)
        return self._stated(causes, trail) or self._sent_out(trail)

    def _placed(self, cause: Cause, trail: list[TrailEntry]) -> Reason | None:
        copied = cause.before == self._erased
        saying = "copied here by" if copied else "here by"
        if cause.rule_id is not None:
            return self._by_rule(saying, cause, trail)
        if cause.actor == "person":
            return Reason("copied here by you" if copied else "put here by you", cause.at)
        if cause.actor == "elsewhere":
            return Reason("put here elsewhere", cause.at)
        return None

    def _by_rule(self, saying: str, cause: Cause, trail: list[TrailEntry]) -> Reason:
        """A copy has no trail of its own: its rule is known by its id alone."""
        entry = _entry(cause, trail)
        if entry is not None:
            return _told(saying, entry)
        name = rule_names(self._session).get(cause.rule_id or 0, "a rule that is gone")
        return Reason(saying, cause.at, cause.rule_id, name)

    def _stated(self, causes: list[Cause], trail: list[TrailEntry]) -> Reason | None:
        """What the last rule whose work stands did about its state."""
        by_rules = [e for e in causes if e.rule_id is not None and e.slot != "folder_id"]
        if not by_rules:
            return None
        last = by_rules[-1]
        said = [self._state(cause) for cause in by_rules if cause.rule_id == last.rule_id]
        return self._by_rule(f"{joined(said)} by", last, trail)

    def _state(self, cause: Cause) -> str:
        on = cause.after in ("1", "True")
        match cause.slot:
            case "label":
                name = self._labels.get(str(cause.after or cause.before), "that is gone")
                return f"{'labelled' if cause.after else 'no longer labelled'} {name}"
            case "flagged":
                return "flagged" if on else "no longer flagged"
            case "seen":
                return "marked as read" if on else "marked as unread"
            case "colour":
                return f"coloured {cause.after}"
            case "priority":
                return f"given {cause.after} importance"
            case "folder_id":
                return "moved"
            case _:
                assert_never(cause.slot)

    def _sent_out(self, trail: list[TrailEntry]) -> Reason | None:
        """What left nothing behind: forwarded, answered, heard."""
        for entry in reversed(trail):
            said = [action.deed() for action in _done(entry) if action.goes_out]
            if said:
                return _told(f"{joined(said)} by", entry)
        return None


def _names(entry: TrailEntry) -> list[str]:
    return [action.do for action in _done(entry)]


def _told(saying: str, entry: TrailEntry) -> Reason:
    return Reason(saying, entry.at, entry.rule_id, entry.rule_name, entry)


def _entry(cause: Cause, trail: list[TrailEntry]) -> TrailEntry | None:
    """What the rule's trail says of a change: the run of a day begins before what it did."""
    mine = [entry for entry in trail if entry.rule_id == cause.rule_id]
    later = [entry for entry in mine if entry.at >= cause.at]
    return later[0] if later else mine[-1] if mine else None
