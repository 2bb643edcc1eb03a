"""The tables of catch-ups, of which other rooms need little; times as in ``engine.tables``."""

from sqlalchemy import Index
from sqlmodel import Field, SQLModel

__all__ = ["CatchUpBatchRow", "CatchUpRow"]


class CatchUpRow(SQLModel, table=True):
    """A catch-up: rules applied to mail that is here, a batch at a time."""

    __tablename__ = "catch_up"
    __table_args__ = (Index("catch_up_of_event", "event", "at"),)

    id: int | None = Field(default=None, primary_key=True)
    at: int
    state: str  # "waiting", "running", "stopped" or "done"
    saying: str
    event: str = "hand"  # what it runs on: asked for, or "daily"
    rules: str  # JSON: the ids of the rules that mail passes, in their order
    acting: str = "[]"  # JSON: the ids of those that act
    documents: str = "[]"  # JSON: the rules as they were then; what is told is what is done
    respects: bool  # whether it leaves alone what a person has changed since
    examined: int  # messages that were asked about
    total: int  # of them, those that one of the rules takes
    done: int = 0
    report: str = "{}"  # JSON: what has been done so far
    run_id: int | None = Field(default=None, foreign_key="run.id", ondelete="SET NULL")


class CatchUpBatchRow(SQLModel, table=True):
    """Messages that a catch-up comes to together; it goes in the transaction that did them."""

    __tablename__ = "catch_up_batch"

    catch_up_id: int = Field(primary_key=True, foreign_key="catch_up.id", ondelete="CASCADE")
    number: int = Field(primary_key=True)
    messages: bytes  # their ids, eight octets each, the lowest first
