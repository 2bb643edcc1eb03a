"""The media types of attachments, which an older Mnemic did not keep beside the message."""

from collections.abc import Iterable, Sequence

from sqlmodel import Session

from mnemic.core import ParsedMessage
from mnemic.core.proposals import Attached
from mnemic.core.text.folding import fold
from mnemic.store.engine.driver import driver

__all__ = ["attached_to_messages", "keep_types", "some_without_types", "types_of", "types_unknown"]

_UNKNOWN = "FROM message WHERE attachments > 0 AND attachment_types IS NULL"


def types_of(message: ParsedMessage) -> str:
    """The types, one a line, as they are kept."""
    return "\n".join(attachment.media_type for attachment in message.attachments)


def types_unknown(session: Session) -> bool:
    """Whether there are messages whose octets alone tell what is attached to them."""
    return driver(session).execute(f"SELECT 1 {_UNKNOWN} LIMIT 1").fetchone() is not None


def attached_to_messages(session: Session, ids: Sequence[int]) -> dict[int, Attached]:
    """What is attached to messages, as far as it is kept beside them: names and types, folded."""
    rows = driver(session).execute(
        "SELECT m.id, f.attachments, m.attachment_types FROM json_each(?) AS l"
        " CROSS JOIN message AS m ON m.id = l.value JOIN message_folded AS f ON f.message_id = m.id"
        " WHERE m.attachments > 0 AND m.attachment_types IS NOT NULL",
        (str(list(ids)),),
    )
    return {
        int(key): Attached(tuple(names.split("\n")), tuple(map(fold, types.split("\n"))))
        for key, names, types in rows
    }


def some_without_types(session: Session, most: int) -> Sequence[int]:
    """Some of these messages, by id."""
    rows = driver(session).execute(f"SELECT id {_UNKNOWN} LIMIT ?", (most,)).fetchall()
    return [int(key) for (key,) in rows]


def keep_types(session: Session, types_of_messages: Iterable[tuple[int, str]]) -> None:
    """Keep what was read of messages."""
    driver(session).executemany(
        "UPDATE message SET attachment_types = ? WHERE id = ?",
        [(types, message_id) for message_id, types in types_of_messages],
    ).close()
