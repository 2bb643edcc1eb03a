"""Commands of a script as what they do: to flags, to where a message goes, and what they send."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from mnemic.core.label_keyword import is_keyword
from mnemic.core.sieve.reading.arguments import sorted_arguments
from mnemic.core.sieve.reading.refusals import Notes, RefusedError
from mnemic.core.sieve.reading.steps import Step
from mnemic.core.sieve.syntax import Command
from mnemic.core.sieve.writing.deeds import HELD_BACK

__all__ = [
    "INBOX",
    "TRIMMED",
    "Delivery",
    "Done",
    "FlagChange",
    "action_of_flag",
    "done_by",
    "place_named",
    "place_of",
    "reply_of",
]

#: The folder in which mail arrives, as rules call it.
INBOX = "Inbox"

_REFUSED_FLAGS = {"\\answered", "\\deleted", "\\draft"}
_ROLES = {"\\archive": "archive", "\\trash": "trash"}

TRIMMED = "white space around the names of folders is left out"
_FORWARD = "a message that was sent on bore no mark that it was"
_REPLY = "answers went only where I stood in To or Cc; ours go to nobody who takes no answers"
_REPLY_FROM = "answers come from your own address"


@dataclass(frozen=True, slots=True)
class FlagChange:
    """Flags that are added, or taken away; ``order`` counts the commands of the script."""

    step: Step
    order: int
    at: int
    change: Literal["add", "remove", "set"]
    flags: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Delivery:
    """A folder that the message goes into; as a ``copy`` it stays where it is, too.

    ``flags`` are those that it gets alone, None where it gets what was set before.
    """

    step: Step
    order: int
    at: int
    folder: str
    copy: bool
    flags: tuple[str, ...] | None
    role: str | None = None


@dataclass
class Done:
    """What a script does, in order. ``cancels`` are steps that take the message out of the inbox
    though they file it nowhere; ``sends`` are forwards and answers by the place of their step.
    """

    flags: list[FlagChange] = field(default_factory=list)
    deliveries: list[Delivery] = field(default_factory=list)
    cancels: list[Step] = field(default_factory=list)
    sends: dict[int, list[dict[str, Any]]] = field(default_factory=dict)
    why: dict[int, Notes] = field(default_factory=dict)
    refused: list[RefusedError] = field(default_factory=list)


def done_by(steps: Sequence[Step]) -> Done:
    """What the steps of a script do."""
    done = Done()
    order = 0
    for step in steps:
        for command in step.commands:
            order += 1
            try:
                _add(done, step, command, order)
            except RefusedError as error:
                done.refused.append(error)
    return done


def _add(done: Done, step: Step, command: Command, order: int) -> None:
    match command.name:
        case "stop":
            return
        case "keep" | "fileinto":
            delivery = _delivery(step, command, order)
            levels = delivery.folder.split("/")
            if delivery.role is None and any(level != level.strip() for level in levels):
                done.why.setdefault(step.place, Notes()).add(TRIMMED)
            done.deliveries.append(delivery)
        case "discard":
            done.cancels.append(step)
        case "addflag" | "setflag" | "removeflag":
            done.flags.append(_flag_change(step, command, order))
        case "redirect":
            _forward(done, step, command)
        case "vacation":
            _answer(done, step, command)
        case _:
            raise RefusedError(command.at, f"no rule can say what {command.name} does here")


def place_of(command: Command) -> tuple[str, str | None]:
    """The folder that a command files into, and its role; ``erase`` where it is held back."""
    if command.name == "keep":
        return INBOX, None
    arguments = sorted_arguments(command)
    return place_named(arguments.strings(0)[0], arguments.text(":specialuse") or "")


def place_named(folder: str, use: str = "") -> tuple[str, str | None]:
    """The folder of a name, and its role."""
    if folder == HELD_BACK:
        return folder, "erase"
    return (INBOX if folder.upper() == "INBOX" else folder), _ROLES.get(use.lower())


def _delivery(step: Step, command: Command, order: int) -> Delivery:
    arguments = sorted_arguments(command)
    folder, role = place_of(command)
    flags = None
    if ":flags" in arguments.tags:
        value = arguments.tags[":flags"]
        flags = _flags(command.at, getattr(value, "values", ()))
    return Delivery(step, order, command.at, folder, ":copy" in arguments.tags, flags, role)


def _flag_change(step: Step, command: Command, order: int) -> FlagChange:
    arguments = sorted_arguments(command)
    if len(arguments.plain) > 1:
        raise RefusedError(command.at, "flags that wait in a variable can’t be said by a rule")
    change: Mapping[str, Literal["add", "remove", "set"]] = {
        "addflag": "add",
        "removeflag": "remove",
        "setflag": "set",
    }
    flags = _flags(command.at, arguments.strings(0))
    return FlagChange(step, order, command.at, change[command.name], flags)


def _flags(at: int, strings: Sequence[str]) -> tuple[str, ...]:
    """Flags, of which a string may hold several (RFC 5232, section 2)."""
    flags: dict[str, str] = {}
    for flag in (flag for string in strings for flag in string.split()):
        if flag.lower() in _REFUSED_FLAGS:
            raise RefusedError(at, f"no rule sets the flag {flag}")
        if flag.startswith("\\") and flag.lower() not in _MARKS:
            raise RefusedError(at, f"{flag} is no flag that is known")
        if not flag.startswith("\\") and not is_keyword(flag):
            raise RefusedError(at, f"“{flag}” can’t be a keyword (RFC 9051, section 9)")
        flags.setdefault(flag.lower(), flag)
    return tuple(flags.values())


_MARKS = {"\\seen": ("read", "unread"), "\\flagged": ("flag", "unflag")}


def action_of_flag(flag: str, labels: Mapping[str, str], *, put: bool) -> dict[str, Any]:
    """The action that puts a flag on, or takes it off; a keyword is a label."""
    marks = _MARKS.get(flag.lower())
    if marks is not None:
        return {"do": marks[0] if put else marks[1]}
    return {"do": "label" if put else "unlabel", "label": labels.get(flag.lower(), flag)}


def _forward(done: Done, step: Step, command: Command) -> None:
    arguments = sorted_arguments(command)
    action = {"do": "forward", "to": [arguments.strings(0)[0]]}
    done.sends.setdefault(step.place, []).append(action)
    done.why.setdefault(step.place, Notes()).add(_FORWARD)
    if ":copy" not in arguments.tags:
        done.cancels.append(step)


def _answer(done: Done, step: Step, command: Command) -> None:
    arguments = sorted_arguments(command)
    if ":mime" in arguments.tags:
        raise RefusedError(command.at, "an answer of MIME parts can’t be said by a rule")
    before = done.sends.setdefault(step.place, [])
    if any(action["do"] == "reply" for action in before):
        raise RefusedError(command.at, "a second answer is an error (RFC 5230, section 4.7)")
    before.append(reply_of(command))
    notes = done.why.setdefault(step.place, Notes())
    notes.add(_REPLY)
    if ":from" in arguments.tags:
        notes.add(_REPLY_FROM)


def reply_of(command: Command) -> dict[str, Any]:
    """An automatic answer."""
    arguments = sorted_arguments(command)
    action: dict[str, Any] = {"do": "reply", "text": _lines(arguments.strings(0)[0])}
    subject = arguments.text(":subject")
    if subject:
        action["subject"] = subject
    days = arguments.number(":days")
    if days is not None:
        action["every"] = max(days, 1)
    return action


def _lines(text: str) -> str:
    return text.replace("\r\n", "\n")
