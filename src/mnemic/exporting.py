"""``mnemic export``: mail out of the mailbox into open formats."""

from collections.abc import Iterator
from datetime import datetime
from pathlib import Path

from sqlmodel import Session

from mnemic.core import MnemicError
from mnemic.core.search import understand
from mnemic.jobs.exporting import exported_messages
from mnemic.jobs.selection import Selection
from mnemic.post import ExportedMessage, mbox_octets, write_maildir
from mnemic.settings import Settings
from mnemic.store import Database
from mnemic.store.folders import folder_paths
from mnemic.store.labels import label_called
from mnemic.store.preferences import read_preferences

__all__ = ["NothingMeantError", "export_mail"]


class NothingMeantError(MnemicError):
    """A folder, label or search that means nothing here, or a target that is taken."""


def _selection(
    session: Session, folder: str | None, label: str | None, find: str | None
) -> Selection:
    if [folder, label, find].count(None) < 2:
        raise NothingMeantError("name one of --folder, --label and --find")
    if folder is not None:
        paths = {path.casefold(): key for key, path in folder_paths(session).items()}
        if folder.casefold() not in paths:
            raise NothingMeantError(f"there is no folder “{folder}”")
        return Selection(folder_id=paths[folder.casefold()])
    if label is not None:
        label_id = label_called(session, label)
        if label_id is None:
            raise NothingMeantError(f"there is no label “{label}”")
        return Selection(label_id=label_id)
    if find is not None:
        search = understand(find, datetime.now(read_preferences(session).zone).date())
        if search.problems or search.test is None:
            told = "; ".join(map(str, search.problems)) or "it asks for nothing"
            raise NothingMeantError(f"the search can’t be used: {told}")
        return Selection(search=search.test)
    return Selection()


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
            messages = exported_messages(session, _selection(session, folder, label, find))
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
