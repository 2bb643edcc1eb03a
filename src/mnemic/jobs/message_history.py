"""What was done to messages by hand, in words, and who put each where it is."""

from collections.abc import Iterable
from dataclasses import dataclass

from sqlmodel import Session

from mnemic.store.folders import folder_paths
from mnemic.store.history import RunChange
from mnemic.store.journal import fetch
from mnemic.store.labels import list_labels

__all__ = ["HandChange", "change_sayings", "changes_by_hand", "placed_by_hand"]


@dataclass(frozen=True, slots=True)
class HandChange:
    """A change that a person made. ``at`` is in seconds since 1970-01-01 UTC."""

    at: int
    saying: str


def placed_by_hand(session: Session, message_ids: Iterable[int]) -> dict[int, int]:
    """When a person put each message where it is; messages that rules put there are left out."""
    listed = ", ".join(str(int(each)) for each in message_ids)
    found = fetch(
        session,
        "SELECT j.entity_id, r.at, r.actor FROM journal AS j JOIN run AS r ON r.id = j.run_id"  # noqa: S608 -- numbers
        " JOIN message AS m ON m.id = j.entity_id WHERE j.entity = 'message'"
        f" AND j.entity_id IN ({listed}) AND j.slot = 'folder_id' AND j.after = m.folder_id"
        " ORDER BY j.id",
    )
    last: dict[int, tuple[int, str]] = {}
    for message_id, at, actor in found:
        last[message_id] = (at, actor)
    return {key: at for key, (at, actor) in last.items() if actor == "person"}


def changes_by_hand(session: Session, message_id: int) -> list[HandChange]:
    """Everything that a person changed about a message, oldest first; reading it is left out."""
    found = fetch(
        session,
        "SELECT r.at, j.slot, j.before, j.after FROM journal AS j JOIN run AS r ON r.id = j.run_id"
        " WHERE j.entity = 'message' AND j.entity_id = :id AND r.actor = 'person'"
        " AND j.slot <> 'seen' ORDER BY j.id",
        id=message_id,
    )
    changes = [RunChange(message_id, slot, before, after, None) for _, slot, before, after in found]
    sayings = change_sayings(session, changes)
    return [HandChange(each[0], saying) for each, saying in zip(found, sayings, strict=True)]


def change_sayings(session: Session, changes: Iterable[RunChange]) -> list[str]:
    """Each change in words: "Moved to Moorings / Permits"."""
    paths = {str(key): path.replace("/", " / ") for key, path in folder_paths(session).items()}
    labels = {str(each.id): each.name for each in list_labels(session)}
    return [_saying(each.slot, each.before, each.after, paths, labels) for each in changes]


def _saying(
    slot: str, before: str | None, after: str | None, paths: dict[str, str], labels: dict[str, str]
) -> str:
    if slot == "folder_id":
        return f"Moved to {paths.get(str(after), 'a folder that is gone')}"
    if slot == "label":
        label = labels.get(str(after or before), "that is gone")
        return f"Labelled {label}" if after is not None else f"Label {label} taken off"
    if slot == "flagged":
        return "Flagged" if after == "1" else "Flag taken off"
    if slot == "seen":
        return "Marked as read" if after == "1" else "Marked as unread"
    if slot == "colour":
        return f"Coloured {after}" if after else "Colour taken off"
    return f"Priority {after or 'as it came'}"
