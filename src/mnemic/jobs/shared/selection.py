"""Which messages a person means, by names."""

from datetime import datetime

from sqlmodel import Session

from mnemic.core import MnemicError
from mnemic.core.search import understand
from mnemic.store.mail.folders import below, folders_at
from mnemic.store.mail.labels import label_called
from mnemic.store.owner.preferences import read_preferences
from mnemic.store.search.selection import Selection

__all__ = ["NothingMeantError", "selection_named"]


class NothingMeantError(MnemicError):
    """A folder, label or search that means nothing here, or a target that is taken."""


def selection_named(
    session: Session,
    *,
    folder: str | None = None,
    deep: bool = False,
    label: str | None = None,
    find: str | None = None,
) -> Selection:
    """What a person names: a folder by its path (``deep``: and those below it), a label, a search.

    Raises NothingMeantError where it means nothing here, or more than one is named.
    """
    if [folder, label, find].count(None) < 2:
        raise NothingMeantError("name one of --folder, --label and --find")
    if folder is not None:
        there = folders_at(session, folder)
        if not there:
            raise NothingMeantError(f"there is no folder “{folder}”")
        if deep:
            return Selection(folders=tuple(key for top in there for key in below(session, top)))
        return Selection(folders=there) if len(there) > 1 else Selection(folder_id=there[0])
    if label is not None:
        label_id = label_called(session, label)
        if label_id is None:
            raise NothingMeantError(f"there is no label “{label}”")
        return Selection(label_id=label_id)
    if find is not None:
        search = understand(find, datetime.now(read_preferences(session).zone).date())
        if search.problems or search.test is None:
            problem = "; ".join(map(str, search.problems)) or "it asks for nothing"
            raise NothingMeantError(f"the search can’t be used: {problem}")
        return Selection(search=search.test)
    return Selection()
