"""Messages on their way to a mailbox on a server: each goes once its copy is known to lie there."""

from collections.abc import Mapping

from sqlmodel import Session

from mnemic.store.engine.sql import execute, fetch

__all__ = ["crossings_done", "note_crossings"]


def note_crossings(session: Session, run_id: int, copies: Mapping[int, int]) -> None:
    """Note for each original, by id, which message is its copy on the other side."""
    for message_id, copy_id in copies.items():
        execute(
            session,
            "INSERT INTO crossing (copy_id, message_id, run_id) VALUES (:copy, :message, :run)",
            copy=copy_id,
            message=message_id,
            run=run_id,
        )


def crossings_done(session: Session) -> dict[int, list[int]]:
    """The originals whose copy lies on its server now, by the run that took them; each told once.

    Where the run was undone meanwhile, or the copy is wanted there no more, nothing goes.
    """
    rows = fetch(
        session,
        "SELECT c.copy_id, c.message_id, c.run_id, r.undone_by IS NULL AND f.role IS NOT 'erased'"
        " FROM crossing AS c JOIN run AS r ON r.id = c.run_id JOIN message AS m ON m.id = c.copy_id"
        " JOIN folder AS f ON f.id = m.folder_id"
        " LEFT JOIN server_message AS s ON s.message_id = c.copy_id"
        " WHERE s.uid IS NOT NULL OR r.undone_by IS NOT NULL OR f.role IS 'erased'",
    )
    crossings: dict[int, list[int]] = {}
    for copy_id, message_id, run_id, goes in rows:
        execute(session, "DELETE FROM crossing WHERE copy_id = :id", id=copy_id)
        if goes:
            crossings.setdefault(run_id, []).append(message_id)
    return crossings
