"""What happened to messages, in words."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from sqlmodel import Session

from mnemic.core.wording import spoken_path
from mnemic.store.journal.history import RunChange, changes_by_people
from mnemic.store.mail.folders import folder_paths, folder_with_role
from mnemic.store.mail.labels import label_names
from mnemic.store.mail.messages import received_at
from mnemic.store.mail.outbox import letters_of_message

__all__ = ["MessageStep", "change_sayings", "steps_of"]


@dataclass(frozen=True, slots=True)
class MessageStep:
    """Something that happened to a message. ``at`` is in seconds since 1970-01-01 UTC.

    ``minor`` is what happens to every message: it is received, and read.
    """

    at: int
    saying: str
    by_person: bool
    minor: bool


def steps_of(session: Session, message_id: int) -> list[MessageStep]:
    """What happened to a message but for what rules did, which its trail tells: oldest first."""
    done = changes_by_people(session, message_id)
    sayings = change_sayings(session, [change.change for change in done])
    received = received_at(session, message_id)
    steps = [MessageStep(received, "Received", by_person=False, minor=True)]
    for change, saying in zip(done, sayings, strict=True):
        words = "Opened" if change.lasting and not change.elsewhere else saying
        if change.undid is not None:
            words += f", undoing “{change.undid}”"
        if change.elsewhere:
            words += " elsewhere"
        by_person, minor = not change.elsewhere, change.change.slot == "seen"
        steps.append(MessageStep(change.at, words, by_person=by_person, minor=minor))
    return sorted([*steps, *_letter_steps(session, message_id)], key=lambda step: step.at)


def _letter_steps(session: Session, message_id: int) -> Iterator[MessageStep]:
    """What became of its forwards and its answer where they are to leave by a server."""
    for letter in letters_of_message(session, message_id):
        called = f"The {'answer' if letter.kind == 'reply' else 'forward'} to {letter.recipient}"
        if letter.state == "sent":
            saying = f"{called} was sent"
        elif letter.state == "failed":
            saying = f"{called} could not be sent: {letter.said}"
        elif letter.state == "waiting":
            saying = f"{called} waits to be sent{f': {letter.said}' if letter.said else ''}"
        else:
            continue
        at = letter.ended or letter.since or letter.at
        yield MessageStep(at, saying, by_person=False, minor=False)


def change_sayings(session: Session, changes: Iterable[RunChange]) -> list[str]:
    """Each change in words, before and after: "Moved from Inbox to Moorings / Permits"."""
    paths = {str(key): spoken_path(path) for key, path in folder_paths(session).items()}
    labels = {str(key): name for key, name in label_names(session).items()}
    erased = str(folder_with_role(session, "erased"))
    return [_saying(change, paths, labels, erased) for change in changes]


def _saying(change: RunChange, paths: dict[str, str], labels: dict[str, str], erased: str) -> str:
    slot, before, after = change.slot, change.before, change.after
    if slot == "folder_id":
        return _moved(change, paths, erased)
    if slot == "label":
        label = labels.get(str(after or before), "that is gone")
        return f"Labelled {label}" if after is not None else f"No longer labelled {label}"
    if slot == "flagged":
        return "Flagged" if after == "1" else "No longer flagged"
    if slot == "seen":
        return "Marked as read" if after == "1" else "Marked as unread"
    if slot == "destroyed":
        return "Destroyed for good"
    was = f", before {before}" if before else ""
    if slot == "colour":
        return f"Coloured {after}{was}" if after else f"No longer coloured {before}"
    return f"Given {after} importance{was}" if after else f"Importance as it came{was}"


def _moved(change: RunChange, paths: dict[str, str], erased: str) -> str:
    """A copy's first entry says that it came from among the erased: undone, it goes there."""
    place = paths.get(str(change.after), "a folder that is gone")
    if change.after == erased:
        return "Erased"
    if change.before == erased:
        return f"{'Brought back' if change.undoes else 'Copied'} to {place}"
    return f"Moved from {paths.get(str(change.before), 'a folder that is gone')} to {place}"
