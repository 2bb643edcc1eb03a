"""What folders and labels have in common here."""

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import QueryNumber

__all__ = ["DeletedOut", "MadeOut", "PlacePath"]


class PlacePath(Described):
    """Which folder or label."""

    id: QueryNumber


class MadeOut(Answer):
    """The id of what was made."""

    id: int


class DeletedOut(Answer):
    """The run that deleted it, to be undone."""

    run_id: int
