"""Actions as commands of a script, each with what it claims."""

from collections.abc import Hashable, Iterator, Mapping
from dataclasses import dataclass
from typing import Literal, TypeAlias

from mnemic.core.actions import (
    FORWARD_MARK,
    BaseAction,
    CopyAction,
    FileAction,
    ForwardAction,
    LabelAction,
    MarkAction,
    PlaceAction,
    ReplyAction,
    UnlabelAction,
)
from mnemic.core.canonical import canonical_address, canonical_name, canonical_path
from mnemic.core.sieve.building import (
    add_flag,
    compared,
    if_,
    not_,
    one_or_list,
    string,
)
from mnemic.core.sieve.syntax import Argument, Command, Number, Tag
from mnemic.core.sieve.writing.setting import Setting

__all__ = ["HELD_BACK", "INBOX", "KEEP", "Deed", "Unsaid", "deeds_of"]

#: Where a script puts what a rule would erase: nothing is lost at once.
HELD_BACK = "Mnemic/Held back"

#: The folder in which mail arrives (RFC 9051, section 5.1).
INBOX = "INBOX"

KEEP = Command("keep")

#: What a deed is to the order of a script: flags count when a place is set.
Kind: TypeAlias = Literal["flag", "send", "copy", "place", "bar"]


@dataclass(frozen=True, slots=True)
class Deed:
    """One thing that a rule does. A "bar" does nothing but claim.

    Of several rules that make the same ``claim`` the first wins.
    """

    kind: Kind
    claim: Hashable
    command: Command | None
    why: str = ""


@dataclass(frozen=True, slots=True)
class Unsaid:
    """What of an action no script can say."""

    why: str


def deeds_of(
    action: BaseAction, setting: Setting, keywords: Mapping[str, str]
) -> Iterator[Deed | Unsaid]:
    """What an action does, as a script says it; ``keywords`` are those of labels."""
    match action:
        case FileAction() | PlaceAction():
            yield _place(action, setting)
        case CopyAction():
            yield _copy(action, setting)
        case LabelAction() | UnlabelAction():
            yield _label(action, setting, keywords)
        case MarkAction():
            yield _mark(action, setting)
        case ForwardAction():
            yield from _forwards(action, setting)
        case ReplyAction():
            yield _reply(action, setting)
        case _:
            yield Unsaid(f"“{action.saying}” is done here alone")


def _filed(path: str, setting: Setting, *tags: Argument) -> Command:
    return _put_into(setting.name_of(path), setting, *tags)


def _put_into(name: str, setting: Setting, *tags: Argument) -> Command:
    create = (Tag(":create"),) if setting.can("mailbox") else ()
    return Command("fileinto", (*tags, *create, string(name)))


def _place(action: FileAction | PlaceAction, setting: Setting) -> Deed | Unsaid:
    if isinstance(action, FileAction):
        if canonical_path(action.folder) == ("inbox",):
            return Deed("place", "place", KEEP)
        if not setting.can("fileinto"):
            return _no_fileinto(action)
        return Deed("place", "place", _filed(action.folder, setting))
    if action.do == "keep":
        return Deed("place", "place", KEEP)
    if not setting.can("fileinto"):
        return _no_fileinto(action)
    if action.do == "erase":
        why = f"what it erases waits in {HELD_BACK} till it is erased here"
        return Deed("place", "place", _filed(HELD_BACK, setting), why)
    return Deed("place", "place", _role(action.do, setting))


def _no_fileinto(action: BaseAction) -> Unsaid:
    return Unsaid(f"“{action.saying}” needs fileinto, which the server is not said to have")


def _role(role: str, setting: Setting) -> Command:
    name = role.capitalize()
    folder = setting.folders.get(role, name)
    if not setting.can("special-use"):
        return _put_into(folder, setting)
    return Command("fileinto", (Tag(":specialuse"), string(f"\\{name}"), string(folder)))


def _copy(action: CopyAction, setting: Setting) -> Deed | Unsaid:
    if not setting.can("fileinto"):
        return _no_fileinto(action)
    tags = (Tag(":copy"),) if setting.can("copy") else ()
    path = canonical_path(action.folder)
    if path == ("inbox",):
        command = Command("fileinto", (*tags, string(INBOX)))
    else:
        command = _filed(action.folder, setting, *tags)
    return Deed("copy", ("copy", path), command)


def _label(
    action: LabelAction | UnlabelAction, setting: Setting, keywords: Mapping[str, str]
) -> Deed | Unsaid:
    name = canonical_name(action.label)
    if isinstance(action, UnlabelAction):
        return Deed("bar", ("label", name), None)
    if not setting.can("imap4flags"):
        return _no_flags(action)
    return Deed("flag", ("label", name), add_flag(keywords[name]))


def _no_flags(action: BaseAction) -> Unsaid:
    return Unsaid(f"“{action.saying}” needs imap4flags, which the server is not said to have")


_FLAGS = {"read": "\\Seen", "flag": "\\Flagged"}


def _mark(action: MarkAction, setting: Setting) -> Deed | Unsaid:
    flag = _FLAGS.get(action.do)
    if flag is None:
        return Deed("bar", action.slot, None)
    if not setting.can("imap4flags"):
        return _no_flags(action)
    return Deed("flag", action.slot, add_flag(flag))


def _forwards(action: ForwardAction, setting: Setting) -> Iterator[Deed]:
    """One command for each address, held back where it was forwarded for the owner already."""
    tags = (Tag(":copy"),) if setting.can("copy") else ()
    why = "a message that the server sends on bears no mark that it was"
    for address in action.to:
        command = Command("redirect", (*tags, string(address)))
        if setting.me:
            mine = compared("header", ":is", setting.me, of=(FORWARD_MARK,))
            command = if_(not_(mine), (command,))
        yield Deed("send", ("forward", canonical_address(address)), command, why)


def _reply(action: ReplyAction, setting: Setting) -> Deed | Unsaid:
    if not setting.can("vacation"):
        return Unsaid("answers need vacation, which the server is not said to have")
    arguments: list[Argument] = [Tag(":days"), Number(action.every)]
    if setting.me:
        arguments += [Tag(":addresses"), one_or_list(setting.me)]
    if action.subject is not None:
        arguments += [Tag(":subject"), string(action.subject)]
    # One handle for all: who was answered by one rule is not answered by another.
    arguments += [Tag(":handle"), string("mnemic"), string(action.text)]
    why = "the server answers only where I stand in To or Cc, and also senders that take no answers"
    return Deed("send", "reply", Command("vacation", tuple(arguments)), why)
