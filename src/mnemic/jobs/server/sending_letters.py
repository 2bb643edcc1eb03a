"""Forwards and answers leave by an account's submission server, or are tried again, or given up."""

from datetime import timedelta

from mnemic.core import MnemicError
from mnemic.post.access import Access
from mnemic.post.failures import AccessRefusedError
from mnemic.post.submission import (
    Letter,
    LetterPutOffError,
    LetterRefusedError,
    SubmissionServer,
    submitting,
)
from mnemic.store import Database
from mnemic.store.engine.tables import PostedRow
from mnemic.store.mail.outbox import end_letter, letters_due, put_letter_off
from mnemic.store.server.connections import Connection, submission_refused

__all__ = ["next_try", "send_letters"]

#: Seconds between tries: doubling, up to four hours. (RFC 5321, 4.5.4.1, advises half an hour and
#: more between one host and another; a submission server is the owner's own.)
_FIRST_PAUSE, _LONGEST_PAUSE = 60, 4 * 3600

#: Seconds after which a letter is told as failed.
_GIVEN_UP = int(timedelta(days=2).total_seconds())


def next_try(since: int, tries: int, now: int) -> int | None:
    """When a letter that waits ``since`` then and was tried so often is tried again.

    None once it has waited for two days; the last try is at their end. Times are in seconds.
    """
    end = since + _GIVEN_UP
    if now >= end:
        return None
    pause = min(_FIRST_PAUSE << min(tries, 16), _LONGEST_PAUSE)
    return min(now + pause, end)


def send_letters(
    database: Database, connection: Connection, access: Access, *, now: int
) -> list[str]:
    """Send what is due of an account; sentences of what could not be sent.

    What was sent is noted at once: were Mnemic killed between the server's word and the note, the
    letter would go out once more, under the same Message-ID.
    """
    account_id = connection.account.id
    if not connection.submits or connection.submission_refused:
        return []
    with database.reading() as session:
        due = letters_due(session, account_id, now)
    if not due:
        return []
    troubles: list[str] = []
    try:
        with submitting(access) as server:
            while due:
                troubles += _send(database, server, due[0], now)
                del due[0]
    except AccessRefusedError as error:
        with database.writing() as session:
            submission_refused(session, account_id, refused=True)
        return [*troubles, _put_off(database, due, str(error), now)]
    except MnemicError as error:
        return [*troubles, _put_off(database, due, str(error), now)]
    return troubles


def _send(database: Database, server: SubmissionServer, row: PostedRow, now: int) -> list[str]:
    """Send one; what could not be done. Raises ServerLostError where the server broke off."""
    letter = Letter(row.sender, row.recipient, row.octets, automatic=row.kind == "reply")
    try:
        said = server.send(letter)
    except LetterRefusedError as error:
        with database.writing() as session:
            end_letter(session, row.id or 0, "failed", str(error), now)
        return [f"“{row.subject}” to {row.recipient} could not be sent: {error}"]
    except LetterPutOffError as error:
        return [_put_off(database, [row], str(error), now)]
    with database.writing() as session:
        end_letter(session, row.id or 0, "sent", said, now)
    return []


def _put_off(database: Database, rows: list[PostedRow], said: str, now: int) -> str:
    """Try them again later, or give them up; it in one line."""
    with database.writing() as session:
        for row in rows:
            due = next_try(row.since or now, row.tries, now)
            if due is None:
                end_letter(session, row.id or 0, "failed", f"given up after two days: {said}", now)
            else:
                put_letter_off(session, row.id or 0, said, due)
    return f"{len(rows)} letter{'s wait' if len(rows) > 1 else ' waits'}: {said}"
