"""``mnemic export``: mail out of the mailbox into open formats."""

from collections.abc import Iterator
from pathlib import Path

from mnemic.jobs.people.mail_export import exported_messages
from mnemic.jobs.shared.selection import NothingMeantError, selection_named
from mnemic.post import ExportedMessage, mbox_octets, write_maildir
from mnemic.settings import Settings
from mnemic.store import Database

__all__ = ["export_mail"]


def export_mail(
    settings: Settings,
    target: Path,
    form: str,
    *,
    folder: str | None,
    label: str | None,
    find: str | None,
) -> int:
    """Write mail to an mbox file or a Maildir folder; how many messages were written.

    Raises NothingMeantError where nothing is meant or the mbox exists, ExportError where the
    target can't be written.
    """
    database = Database(settings.database)
    try:
        with database.reading() as session:
            which = selection_named(session, folder=folder, label=label, find=find)
            messages = exported_messages(session, which)
            if form == "maildir":
                return write_maildir(target, messages)
            return _write_mbox(target, messages)
    finally:
        database.close()


def _write_mbox(target: Path, messages: Iterator[ExportedMessage]) -> int:
    count = 0
    try:
        with target.open("xb") as file:
            for piece in mbox_octets(messages):
                file.write(piece)
                count += 1
    except FileExistsError as error:
        raise NothingMeantError(f"{target} is there already; name another file") from error
    except OSError as error:
        raise NothingMeantError(f"{target}: {error.strerror}") from error
    return count
