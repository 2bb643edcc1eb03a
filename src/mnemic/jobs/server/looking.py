"""Looking at a mailbox on a server: where every message lies, what it bears, and what is new."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from mnemic.core.mirror import Spot
from mnemic.post.imap import FolderState, Glimpse, NotFollowedError, ServerMailbox
from mnemic.store.server.server_folders import ServerFolder

__all__ = ["Look", "look_at"]


@dataclass
class Look:
    """What was seen in some folders of a server.

    ``flags`` are those of messages that were known and have changed, ``gone`` the spots that were
    known and are none any more, ``new`` those that nobody knew. Folders that have got another
    UIDVALIDITY are looked at ``anew``.
    ``new_labels``: here are labels that no keyword was looked for yet.
    """

    states: dict[int, FolderState] = field(default_factory=dict)
    flags: dict[Spot, frozenset[str]] = field(default_factory=dict)
    gone: set[Spot] = field(default_factory=set)
    new: dict[Spot, Glimpse] = field(default_factory=dict)
    anew: set[int] = field(default_factory=set)
    new_labels: bool = False

    @property
    def is_as_known(self) -> bool:
        """Whether nothing was seen that is not known, and no label is new here."""
        return not (self.flags or self.gone or self.new or self.anew or self.new_labels)


def look_at(
    mailbox: ServerMailbox,
    row: ServerFolder,
    known: Mapping[int, Spot],
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
        known = {}
    elif row.mirrored and _is_unchanged(row, state, len(known)):
        return
    flags, gone = _flags(mailbox, row, state, known, anew=folder in look.anew)
    for uid in gone:
        if uid in known:
            look.gone.add(known[uid])
    new = sorted(uid for uid in flags if uid not in known)
    look.flags |= {known[uid]: marks for uid, marks in flags.items() if uid in known}
    for glimpse in mailbox.glimpses(new):
        look.new[Spot(folder, glimpse.uid)] = glimpse


def _is_unchanged(row: ServerFolder, state: FolderState, known: int) -> bool:
    return (
        state.modseq is not None
        and state.modseq == row.modseq
        and state.uidnext == row.uidnext
        and state.messages == known
    )


def _flags(
    mailbox: ServerMailbox,
    row: ServerFolder,
    state: FolderState,
    known: Mapping[int, Spot],
    *,
    anew: bool,
) -> tuple[dict[int, frozenset[str]], set[int]]:
    """Flags by UID, of all messages or of those that have changed, and the UIDs that are gone."""
    if row.mirrored and not anew and state.modseq is not None and row.modseq is not None:
        flags, vanished = mailbox.flags(since=row.modseq)
        tells = mailbox.tells_vanished
        gone = set(vanished) if tells else known.keys() - set(mailbox.uids())
        went = sum(uid in known for uid in gone)
        here = len(known) - went + sum(uid not in known for uid in flags)
        if here == state.messages:
            return flags, gone
    flags, _ = mailbox.flags()
    if len(flags) != state.messages:
        # Something may have come in between: it is looked at once more.
        state = mailbox.open(row.name, only_look=True)
        flags, _ = mailbox.flags()
        if len(flags) != state.messages:
            raise NotFollowedError(
                f"the server says that {row.name} has {state.messages:,} messages, and lists"
                f" {len(flags):,}; nothing is concluded from that"
            )
    return flags, known.keys() - flags.keys()
