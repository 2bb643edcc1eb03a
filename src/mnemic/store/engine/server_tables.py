"""The tables of accounts whose mail lies on a server. Times are seconds since 1970-01-01 UTC."""

from sqlalchemy import Index
from sqlmodel import Field, SQLModel

__all__ = [
    "ConnectionRow",
    "CrossingRow",
    "DeletedLabelKeywordRow",
    "FolderChoiceRow",
    "ForeseenRow",
    "LabelKeywordRow",
    "ServerBegunRow",
    "ServerFolderRow",
    "ServerLeftRow",
    "ServerMessageRow",
    "ServerScriptRow",
]


class ConnectionRow(SQLModel, table=True):
    """How an account's mailbox is reached on its server, and how that goes.

    ``secret`` is encrypted where it is a password. ``refused``: the server refused it, and it is
    not tried again unasked; so for ``submission_refused``. While it fails, so many messages as are
    ``waiting`` here differ from what the server was last known to have. What has
    ``inbox_uidnext`` or more under ``inbox_validity`` arrived since the account was connected.
    """

    __tablename__ = "connection"

    account_id: int = Field(primary_key=True, foreign_key="account.id", ondelete="CASCADE")
    mailbox_id: int
    host: str
    port: int
    security: str
    authorities: str | None = None
    user: str
    secret_kind: str
    secret: bytes
    submission_host: str | None = None
    submission_port: int | None = None
    submission_security: str | None = None
    submits: bool = True
    submission_refused: bool = False
    acting: bool = False
    empties_trash: bool = False
    refused: bool = False
    state: str = ""
    failing_since: int | None = None
    waiting: int = 0
    alert: str | None = None
    inbox_validity: int | None = None
    inbox_uidnext: int | None = None


class ServerFolderRow(SQLModel, table=True):
    """A folder on a server, and how far it was looked at.

    ``name`` is the server's, ``path`` what it was here when both were in step. The UIDs below
    ``uidnext`` are known; from ``arrivals_from`` on they came since the folder was first seen.
    ``agreed`` is a digest of the server's answer and of what is known, where both said the same.
    """

    __tablename__ = "server_folder"
    __table_args__ = (Index("server_folder_name", "mailbox_id", "name", unique=True),)

    id: int | None = Field(default=None, primary_key=True)
    mailbox_id: int
    folder_id: int = Field(index=True)
    name: str
    path: str
    validity: int | None = None
    uidnext: int = 1
    modseq: int | None = None
    arrivals_from: int = 1
    mirrored: bool = False
    agreed: bytes | None = None
    trouble: str | None = None


class ServerMessageRow(SQLModel, table=True):
    """Where a message is on its server, and what the server was last known to have of it.

    Without a folder it is nowhere: gone, or not there yet. ``keywords`` are JSON.
    """

    __tablename__ = "server_message"
    __table_args__ = (Index("server_message_uid", "server_folder_id", "uid", unique=True),)

    message_id: int = Field(primary_key=True, foreign_key="message.id", ondelete="CASCADE")
    server_folder_id: int | None = None
    uid: int | None = None
    seen: bool = False
    flagged: bool = False
    deleted: bool = False
    keywords: str = "[]"
    size: int = 0


class ServerBegunRow(SQLModel, table=True):
    """A message that was told to come into a folder, and whose UID there is not known yet."""

    __tablename__ = "server_begun"

    message_id: int = Field(primary_key=True, foreign_key="message.id", ondelete="CASCADE")
    server_folder_id: int


class ServerLeftRow(SQLModel, table=True):
    """What was moved away by copying and lies where it was: nothing of ours any more.

    Once it is ``marked`` as deleted it is only waited for; before, it is to be.
    """

    __tablename__ = "server_left"
    __table_args__ = {"sqlite_with_rowid": False}

    server_folder_id: int = Field(primary_key=True)
    uid: int = Field(primary_key=True)
    marked: bool = False


class CrossingRow(SQLModel, table=True):
    """A message that a person takes to another mailbox: it goes once its copy lies there."""

    __tablename__ = "crossing"

    copy_id: int = Field(primary_key=True, foreign_key="message.id", ondelete="CASCADE")
    message_id: int = Field(foreign_key="message.id", ondelete="CASCADE")
    run_id: int = Field(foreign_key="run.id", ondelete="CASCADE")


class FolderChoiceRow(SQLModel, table=True):
    """What the owner says a folder of a server is for: a role, "plain", or "left out"."""

    __tablename__ = "folder_choice"

    mailbox_id: int = Field(primary_key=True)
    name: str = Field(primary_key=True)
    choice: str


class ForeseenRow(SQLModel, table=True):
    """What a rule would have done to a message that arrived while its account was watched.

    The columns are those of the trail, where it is kept apart: nobody is to take it for done.
    """

    __tablename__ = "foreseen"

    id: int | None = Field(default=None, primary_key=True)
    message_id: int = Field(index=True, foreign_key="message.id", ondelete="CASCADE")
    rule_id: int | None = Field(default=None, foreign_key="rule.id", ondelete="SET NULL")
    rule_name: str
    event: str
    at: int
    folder: str | None = None
    labels: str = "[]"
    evidence: str = "[]"
    actions: str = "[]"


class LabelKeywordRow(SQLModel, table=True):
    """What a label is called as a keyword of IMAP, where that is not its name."""

    __tablename__ = "label_keyword"

    label_id: int = Field(primary_key=True, foreign_key="label.id", ondelete="CASCADE")
    keyword: str = Field(unique=True)


class DeletedLabelKeywordRow(SQLModel, table=True):
    """The keyword of a label that was deleted here, which messages on a server may still bear.

    Triggers of the database write it when the label goes, and take it away when one comes back.
    """

    __tablename__ = "deleted_label_keyword"

    keyword: str = Field(primary_key=True)


class ServerScriptRow(SQLModel, table=True):
    """Where an account's rules run, and the script that is on its server for them (RFC 5804).

    ``put`` is our script as it was put there last, ``putting`` one of which it is not known whether
    it came to be there. ``rules`` are those that run there, as JSON. ``before`` is the script that
    ran before ours. What has ``inbox_uidnext`` or more under ``inbox_validity``, or was received
    ``since`` then, was sorted there.
    """

    __tablename__ = "server_script"

    account_id: int = Field(primary_key=True, foreign_key="account.id", ondelete="CASCADE")
    host: str
    port: int
    security: str
    capabilities: str = ""
    runs: str = "here"
    name: str
    put: bytes | None = None
    putting: bytes | None = None
    rules: str = "[]"
    before_name: str | None = None
    before: bytes | None = None
    inbox_validity: int | None = None
    inbox_uidnext: int | None = None
    since: int = 0
    trouble: str | None = None
    asks: bool = False
    refused: bool = False
