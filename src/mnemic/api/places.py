"""What folders and labels have in common here."""

from pydantic import BaseModel

__all__ = ["DeletedOut", "MadeOut", "PlacePath"]


class PlacePath(BaseModel):
    """Which folder or label."""

    id: int


class MadeOut(BaseModel):
    """The id of what was made."""

    id: int


class DeletedOut(BaseModel):
    """The run that deleted it, to be undone."""

    run_id: int
