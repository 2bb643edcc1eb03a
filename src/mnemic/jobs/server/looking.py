"""Looking at a mailbox on a server: where every message lies, what it bears, and what is new."""

import hashlib
from dataclasses import dataclass, field

from mnemic.core.mirror import Spot
from mnemic.jobs.server.sides import ServerFlags, flags_of
from mnemic.post.imap import FolderState, Glimpse, NotFollowedError, ServerMailbox
from mnemic.store.server.known_spots import KnownSpots
from mnemic.store.server.server_folders import ServerFolder

__all__ = ["Look", "look_at"]


#: New messages that are looked at before they are taken in: what is kept of each takes memory.
_ROOM = 10_000


@dataclass
class Look:
    """What was seen in some folders of a server.

    ``flags`` are those of messages that were known and have changed, ``gone`` the spots that were
    known and are none any more, ``new`` those that nobody knew. Folders that have got another
    UIDVALIDITY are looked at ``anew``.
    ``new_labels``: here are labels that no keyword was looked for yet. ``digests`` are those, by
    folder, of what the server says of all messages, beside what was known then.
    In folders that are mirrored for the first time there is ``room`` for so many new messages;
    ``unseen`` is how many there are beyond them, by folder.
    """

    states: dict[int, FolderState] = field(default_factory=dict)
    flags: dict[Spot, frozenset[str]] = field(default_factory=dict)
    gone: set[Spot] = field(default_factory=set)
    new: dict[Spot, Glimpse] = field(default_factory=dict)
    anew: set[int] = field(default_factory=set)
    new_labels: bool = False
    digests: dict[int, bytes] = field(default_factory=dict)
    room: int = field(default_factory=lambda: _ROOM)
    unseen: dict[int, int] = field(default_factory=dict)

    @property
    def is_as_known(self) -> bool:
        """Whether nothing was seen that is not known, and no label is new here."""
        seen = self.flags or self.gone or self.new or self.anew or self.new_labels
        return not (seen or self.unseen)

    def agreed(self) -> dict[int, bytes]:
        """The ``digests`` of folders in which all is as it is known here."""
        other = {spot.folder for spots in (self.flags, self.gone, self.new) for spot in spots}
        other |= self.anew
        return {folder: digest for folder, digest in self.digests.items() if folder not in other}


def look_at(
    mailbox: ServerMailbox,
    row: ServerFolder,
    known: KnownSpots,
    look: Look,
    *,
    only_look: bool,
) -> None:
    """Look at one folder, of which the UIDs in ``known`` are known.

    Raises NotFollowedError where the server's answers contradict each other.
    """
    folder = row.id
    state = mailbox.open(row.name, only_look=only_look)
    look.states[folder] = state
    if row.validity is not None and row.validity != state.validity:
        look.anew.add(folder)
        look.gone.update(known.values())
        known = known.of_none()
    elif _is_unchanged(row, state, len(known)) or _look_at_some(mailbox, row, state, known, look):
        return
    flags, gone = _flags(mailbox, row, state, known, look)
    for uid in gone:
        if uid in known:
            look.gone.add(known[uid])
    new = sorted(uid for uid in flags if uid not in known)
    look.room = max(0, look.room - len(new))
    if len(new) < len(flags):
        _leave_out_unchanged(known, flags)
    look.flags |= {known[uid]: marks for uid, marks in flags.items() if uid in known}
    for glimpse in mailbox.glimpses(new):
        look.new[Spot(folder, glimpse.uid)] = glimpse


def _leave_out_unchanged(known: KnownSpots, flags: dict[int, frozenset[str]]) -> None:
    """Leave flags out that are known: a server that counts no changes tells all of them."""
    for uid, as_known in known.flags():
        now = flags.get(uid)
        if now is not None and flags_of(now) == ServerFlags(*as_known):
            del flags[uid]


def _look_at_some(
    mailbox: ServerMailbox, row: ServerFolder, state: FolderState, known: KnownSpots, look: Look
) -> bool:
    """Of a folder that is mirrored first, and has more than there is room for, look at the newest.

    Whether it is so: there may be less than the server said when the folder was opened.
    """
    if row.mirrored or state.messages - len(known) <= look.room:
        return False
    new = [uid for uid in mailbox.uids() if uid not in known]
    beyond = len(new) - look.room
    if beyond <= 0:
        return False
    look.room, look.unseen[row.id] = 0, beyond
    for glimpse in mailbox.glimpses(new[beyond:]):
        look.new[Spot(row.id, glimpse.uid)] = glimpse
    return True


def _is_unchanged(row: ServerFolder, state: FolderState, known: int) -> bool:
    return (
        row.mirrored
        and state.modseq is not None
        and state.modseq == row.modseq
        and state.uidnext == row.uidnext
        and state.messages == known
    )


def _flags(
    mailbox: ServerMailbox, row: ServerFolder, state: FolderState, known: KnownSpots, look: Look
) -> tuple[dict[int, frozenset[str]], set[int]]:
    """Flags by UID, of all messages or of those that have changed, and the UIDs that are gone."""
    if row.mirrored and row.id not in look.anew and state.modseq is not None:
        changed = None if row.modseq is None else _changed(mailbox, row.modseq, state, known)
        if changed is not None:
            return changed
    flags = _of_all(mailbox, row, state, known, look)
    return ({}, set()) if flags is None else (flags, known.keys() - flags.keys())


def _changed(
    mailbox: ServerMailbox, since: int, state: FolderState, known: KnownSpots
) -> tuple[dict[int, frozenset[str]], set[int]] | None:
    """The same of what has changed; None where that does not come to what the server has."""
    flags, vanished = mailbox.changed_flags(since)
    gone = set(vanished) if mailbox.tells_vanished else known.keys() - set(mailbox.uids())
    went = sum(uid in known for uid in gone)
    here = len(known) - went + sum(uid not in known for uid in flags)
    return (flags, gone) if here == state.messages else None


def _of_all(
    mailbox: ServerMailbox, row: ServerFolder, state: FolderState, known: KnownSpots, look: Look
) -> dict[int, frozenset[str]] | None:
    """The flags of all messages; None where they are as they are known.

    An answer that was as what is known here, both still being the same, is not read again.
    """
    here = known.digest()

    def is_as_agreed(answers: bytes) -> bool:
        look.digests[row.id] = hashlib.sha256(answers + here).digest()
        return look.digests[row.id] == row.agreed and len(known) == state.messages

    flags = mailbox.flags(is_as_agreed)
    if flags is None or len(flags) == state.messages:
        return flags
    # Something may have come in between: it is looked at once more.
    state = mailbox.open(row.name, only_look=True)
    del look.digests[row.id]
    flags = mailbox.flags()
    if flags is None or len(flags) != state.messages:
        raise NotFollowedError(
            f"the server says that {row.name} has {state.messages:,} messages, and lists"
            f" {len(flags or ()):,}; nothing is concluded from that"
        )
    return flags
