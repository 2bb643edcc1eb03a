"""Both sides of a mailbox as they are known: messages here, their labels, and the server's word."""

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property, lru_cache

from sqlmodel import Session

from mnemic.core.mirror import FOR_GOOD, Marks, Spot
from mnemic.store.mail.folders import folder_with_role
from mnemic.store.mail.labels import label_ids_of
from mnemic.store.server.connections import Connection
from mnemic.store.server.label_keywords import deleted_label_keywords, label_keywords
from mnemic.store.server.server_folders import ServerFolder, server_folders
from mnemic.store.server.server_messages import (
    Mirrored,
    born_as_copies,
    mirrored_at,
    mirrored_by_ids,
    mirrored_called,
    mirrored_differing,
    mirrored_nowhere,
    mirrored_with_keywords,
)

__all__ = ["OUT_OF_SIGHT", "ServerFlags", "Sides", "changes_waiting", "flags_of"]

#: The place of what is marked as deleted on the server, or lies nowhere there.
OUT_OF_SIGHT = 0

_NONE: frozenset[str] = frozenset()

_SEEN, _FLAGGED, _DELETED = "\\seen", "\\flagged", "\\deleted"


@dataclass(frozen=True, slots=True)
class ServerFlags:
    """What the flags of a message on the server say.

    ``keywords`` are in small letters; flags of the system that Mnemic has no use for are among
    them: they come back with what undo brings back.
    """

    seen: bool
    flagged: bool
    deleted: bool
    keywords: frozenset[str]


@lru_cache(maxsize=1_024)
def flags_of(flags: frozenset[str]) -> ServerFlags:
    """Flags as the server tells them."""
    names = {flag.lower() for flag in flags}
    keywords = frozenset(names - {_SEEN, _FLAGGED, _DELETED, "\\recent"})
    return ServerFlags(_SEEN in names, _FLAGGED in names, _DELETED in names, keywords)


def changes_waiting(session: Session, connection: Connection) -> int:
    """How many messages differ here from what the server was last known to have."""
    if not connection.acting:
        return 0
    sides = Sides(session, connection)
    return sum(sides.here(message) != sides.before(message) for message in sides.differing())


class Sides:
    """What is known of a mailbox on both sides, within one transaction.

    One that writes may keep the keywords that labels are given (``keep``). Where it is ``to_tell``,
    the keywords of labels that are deleted here count as labels that nothing bears here.
    """

    def __init__(
        self,
        session: Session,
        connection: Connection,
        *,
        keep: bool = False,
        to_tell: bool = False,
    ) -> None:
        self.mailbox_id = connection.mailbox_id
        self.rows: dict[int, ServerFolder] = server_folders(session, self.mailbox_id)
        self.row_of = {row.id: row for row in self.rows.values()}
        self.erased = folder_with_role(session, "erased")
        self.trash = folder_with_role(session, "trash", self.mailbox_id)
        deleted = deleted_label_keywords(session)
        keywords, new = label_keywords(session, keep=keep)
        self.new_labels = [label for label in new if keywords[label] not in deleted]
        self.keyword_of = keywords
        dropped = deleted if to_tell else []
        self.spelled = {keyword.lower(): keyword for keyword in (*dropped, *keywords.values())}
        self.label_of = {keyword.lower(): label for label, keyword in keywords.items()}
        self._session, self._labels = session, dict[int, list[int]]()

    # --- messages, as they are asked for: a mailbox may have very many

    def _with_labels(self, messages: list[Mirrored]) -> list[Mirrored]:
        self._labels |= label_ids_of(self._session, [message.message_id for message in messages])
        return messages

    def at(self, spots: Iterable[Spot]) -> dict[Spot, Mirrored]:
        """The messages that lie at spots of the server, by where."""
        messages = mirrored_at(self._session, ((spot.folder, spot.uid) for spot in spots))
        return {
            Spot(message.server_folder_id, message.uid): message
            for message in self._with_labels(messages)
            if message.server_folder_id is not None and message.uid is not None
        }

    def by_ids(self, ids: Iterable[int]) -> dict[int, Mirrored]:
        """Some messages, by their ids."""
        messages = self._with_labels(mirrored_by_ids(self._session, ids))
        return {message.message_id: message for message in messages}

    def nowhere(self) -> list[Mirrored]:
        """Those that lie nowhere on the server, or were told to go elsewhere."""
        return self._with_labels(mirrored_nowhere(self._session, self.mailbox_id))

    def called(self, names: Iterable[str]) -> list[Mirrored]:
        """Those with such Message-IDs."""
        return self._with_labels(mirrored_called(self._session, self.mailbox_id, names))

    def with_keywords(self) -> list[Mirrored]:
        """Those that bear keywords on the server."""
        return self._with_labels(mirrored_with_keywords(self._session, self.mailbox_id))

    def differing(self) -> list[Mirrored]:
        """Those that may differ from what the server was last known to have."""
        return self._with_labels(mirrored_differing(self._session, self.mailbox_id))

    @cached_property
    def _copies(self) -> set[int]:
        return born_as_copies(self._session, self.mailbox_id, self.erased)

    def labels(self, keywords: frozenset[str]) -> frozenset[str]:
        """The keywords that are labels here."""
        return frozenset(filter(self.spelled.__contains__, keywords)) if keywords else _NONE

    def here(self, message: Mirrored) -> Marks:
        """A message as it is here, with the place where it is wanted on the server.

        What is erased here lies in the trash there; of a copy that was taken back nothing is left;
        what is marked as deleted there stays so while it is out of sight here.
        """
        place = message.folder_id
        if place == self.erased:
            if message.was_deleted or not message.lies_there:
                place = OUT_OF_SIGHT
            else:
                place = FOR_GOOD if message.message_id in self._copies else self.trash
        borne = self._labels.get(message.message_id, ())
        keywords = frozenset(self.keyword_of[label].lower() for label in borne) if borne else _NONE
        return Marks(place, message.seen, message.flagged, keywords)

    def before(self, message: Mirrored) -> Marks:
        """A message as the server was last known to have it."""
        place = OUT_OF_SIGHT
        if message.server_folder_id is not None and not message.was_deleted:
            row = self.row_of.get(message.server_folder_id)
            place = OUT_OF_SIGHT if row is None else row.folder_id
        keywords = self.labels(message.keywords)
        return Marks(place, message.was_seen, message.was_flagged, keywords)
