"""The tables. Times are whole seconds since 1970-01-01 UTC; text is UTF-8.

A message’s row is narrow, since many are read and written at once: octets, text and folded forms
have tables of their own. The trigram index (``message_trigram``, FTS5) is made by the migration.
"""

from sqlalchemy import Index, text
from sqlmodel import Field, SQLModel

__all__ = [
    "AccountRow",
    "AddressRow",
    "AliasRow",
    "ContactAddressRow",
    "ContactRow",
    "FolderRow",
    "JournalRow",
    "LabelRow",
    "MailboxRow",
    "MessageAddressRow",
    "MessageFoldedRow",
    "MessageLabelRow",
    "MessageOctetsRow",
    "MessageRow",
    "MessageTextRow",
    "PinRow",
    "PostedRow",
    "PreferenceRow",
    "RuleRow",
    "RunRow",
    "StampRow",
    "TrailRow",
    "TrigramIndexRow",
    "TurnedAwayRow",
]


class MailboxRow(SQLModel, table=True):
    """A tree of folders: the local one, which has no account, or one of a connected account."""

    __tablename__ = "mailbox"

    id: int | None = Field(default=None, primary_key=True)
    account_id: int | None = Field(default=None, unique=True)


class FolderRow(SQLModel, table=True):
    """A folder; ``role`` is one of RFC 6154's, or "inbox", or "erased" (held back, never shown)."""

    __tablename__ = "folder"
    __table_args__ = (
        Index("folder_path", "mailbox_id", text("coalesce(parent_id, 0)"), "name", unique=True),
        Index("folder_canonical", "mailbox_id", text("coalesce(parent_id, 0)"), "canonical"),
        Index("folder_role", "mailbox_id", "role", unique=True),
    )

    id: int | None = Field(default=None, primary_key=True)
    mailbox_id: int = Field(default=1, sa_column_kwargs={"server_default": "1"})
    parent_id: int | None = Field(default=None, foreign_key="folder.id")
    name: str
    canonical: str  # the name in the form in which it is compared
    role: str | None = None
    look_in_days: int | None = None  # how often its owner wants to look into it
    looked_at: int | None = None  # when it was last opened


class LabelRow(SQLModel, table=True):
    """A label with one of Mnemic's colour names."""

    __tablename__ = "label"
    __table_args__ = (Index("label_canonical", "canonical"),)

    id: int | None = Field(default=None, primary_key=True)
    name: str = Field(unique=True)
    canonical: str  # the name in the form in which it is compared
    colour: str


class StampRow(SQLModel, table=True):
    """Which state a small table is in; triggers draw ``value`` anew with every change of it."""

    __tablename__ = "stamp"
    __table_args__ = {"sqlite_with_rowid": False}

    name: str = Field(primary_key=True)
    value: int


class AccountRow(SQLModel, table=True):
    """An account: an address that mail comes to."""

    __tablename__ = "account"

    id: int | None = Field(default=None, primary_key=True)
    name: str
    address: str
    canonical: str = Field(unique=True)  # the address in the form in which it is compared


class AliasRow(SQLModel, table=True):
    """Another address of an account."""

    __tablename__ = "alias"

    id: int | None = Field(default=None, primary_key=True)
    account_id: int = Field(foreign_key="account.id", ondelete="CASCADE", index=True)
    address: str
    canonical: str = Field(unique=True)


class ContactRow(SQLModel, table=True):
    """Somebody in the address book; ``card`` is the vCard as it came, or was made."""

    __tablename__ = "contact"

    id: int | None = Field(default=None, primary_key=True)
    name: str
    card: str


class ContactAddressRow(SQLModel, table=True):
    """An address of a contact."""

    __tablename__ = "contact_address"

    id: int | None = Field(default=None, primary_key=True)
    contact_id: int = Field(foreign_key="contact.id", ondelete="CASCADE", index=True)
    address: str
    canonical: str = Field(index=True)


class PreferenceRow(SQLModel, table=True):
    """A preference of the owner, as JSON."""

    __tablename__ = "preference"

    name: str = Field(primary_key=True)
    value: str


class MessageRow(SQLModel, table=True):
    """What lists show of a message, and its state."""

    __tablename__ = "message"
    __table_args__ = (
        Index("message_in_folder", "folder_id", "received_at", "id"),
        Index("message_unseen", "folder_id", sqlite_where=text("seen = 0")),
        Index(
            "message_types_unknown",
            "id",
            sqlite_where=text("attachments > 0 AND attachment_types IS NULL"),
        ),
    )

    id: int | None = Field(default=None, primary_key=True)
    digest: bytes = Field(index=True)  # SHA-256 of the octets
    message_id: str | None = None  # the Message-ID field
    subject: str | None = None
    sender_name: str = ""
    sender_address: str = ""
    preview: str = ""
    received_at: int = Field(index=True)
    size: int  # octets as transmitted
    attachments: int = 0
    attachment_types: str | None = None  # their media types, one a line; None: nobody looked yet
    kind: str = "personal"
    kind_reason: str = ""
    list_id: str | None = None
    importance: str = "normal"  # what its writer said of it
    account_id: int | None = None  # an account; forgetting it clears this
    mailbox_id: int = Field(default=1, sa_column_kwargs={"server_default": "1"})
    folder_id: int = Field(foreign_key="folder.id")
    placed_at: int = 0  # when it came into its folder
    seen: bool = False
    flagged: bool = False
    colour: str | None = None
    priority: str | None = None  # what a rule or a person made of it


class MessageOctetsRow(SQLModel, table=True):
    """The message as it came, byte for byte, and what the transport said of it."""

    __tablename__ = "message_octets"
    __table_args__ = (
        Index("message_octets_as_they_came", "message_id", sqlite_where=text("packed IS NULL")),
    )

    message_id: int = Field(primary_key=True, foreign_key="message.id", ondelete="CASCADE")
    octets: bytes = b""  # where they are not packed
    packed: bytes | None = None  # compressed (``engine.packing``)
    return_path: str | None = None


class MessageTextRow(SQLModel, table=True):
    """The text that a reader sees, decoded once when the message is taken in."""

    __tablename__ = "message_text"
    __table_args__ = (
        Index("message_text_as_they_came", "message_id", sqlite_where=text("packed IS NULL")),
    )

    message_id: int = Field(primary_key=True, foreign_key="message.id", ondelete="CASCADE")
    body: str = ""  # where it is not packed
    packed: bytes | None = None  # compressed (``engine.packing``)


class MessageFoldedRow(SQLModel, table=True):
    """What searches look at, in the core's folded form; of several values, one a line.

    A folded text holds no line break, so that what is looked for never spans two values.
    """

    __tablename__ = "message_folded"

    message_id: int = Field(primary_key=True, foreign_key="message.id", ondelete="CASCADE")
    subject: str
    senders: str  # names and addresses of From
    recipients: str
    lists: str
    attachments: str  # their names
    body: str  # last: a long text stands on pages that the others need not touch


class TrigramIndexRow(SQLModel, table=True):
    """How far the trigram index has come: one row, with the largest id that is indexed."""

    __tablename__ = "trigram_index"

    up_to: int = Field(primary_key=True)


class AddressRow(SQLModel, table=True):
    """An address as it is written somewhere, with its display name; once, however often it is.

    What a condition says of addresses is answered for each of them once.
    """

    __tablename__ = "address"
    __table_args__ = (Index("address_written", "local", "domain", "name", unique=True),)

    id: int | None = Field(default=None, primary_key=True)
    name: str
    local: str
    domain: str
    canonical: str = Field(index=True)  # in the form in which addresses are compared
    home: str = Field(index=True)  # the domain's labels, the last one first: "example.trust"
    folded: str  # the name's form and the address's, a line each


class MessageAddressRow(SQLModel, table=True):
    """An address of a message; ``header`` is the field's name in rules, or "envelope"."""

    __tablename__ = "message_address"
    __table_args__ = (
        Index("message_of_address", "address_id", "header", "message_id"),
        {"sqlite_with_rowid": False},
    )

    message_id: int = Field(primary_key=True, foreign_key="message.id", ondelete="CASCADE")
    position: int = Field(primary_key=True)
    header: str
    address_id: int = Field(foreign_key="address.id")


class MessageLabelRow(SQLModel, table=True):
    """A label on a message."""

    __tablename__ = "message_label"

    message_id: int = Field(primary_key=True, foreign_key="message.id", ondelete="CASCADE")
    label_id: int = Field(primary_key=True, foreign_key="label.id", index=True, ondelete="CASCADE")


class RuleRow(SQLModel, table=True):
    """A rule: its place in the line, and itself as JSON of the rule document.

    A deleted one is kept, so that its trail still leads to it and it can come back.
    """

    __tablename__ = "rule"

    id: int | None = Field(default=None, primary_key=True)
    position: int = Field(index=True)
    document: str
    deleted: bool = False


class PinRow(SQLModel, table=True):
    """A message that a rule must take, or must not."""

    __tablename__ = "pin"

    rule_id: int = Field(primary_key=True, foreign_key="rule.id", ondelete="CASCADE")
    message_id: int = Field(primary_key=True, foreign_key="message.id", ondelete="CASCADE")
    wanted: bool


class TrailRow(SQLModel, table=True):
    """What one rule did to one message, when, and on what evidence."""

    __tablename__ = "trail"
    __table_args__ = (Index("trail_of_rule", "rule_id", "at"),)

    id: int | None = Field(default=None, primary_key=True)
    message_id: int = Field(index=True, foreign_key="message.id", ondelete="CASCADE")
    rule_id: int | None = Field(default=None, foreign_key="rule.id", ondelete="SET NULL")
    rule_name: str  # as it was then: the trail outlives the rule
    event: str
    at: int
    folder: str | None = None  # the path it was placed under by this rule
    labels: str = "[]"  # JSON: names of the labels put on by this rule
    evidence: str = "[]"  # JSON: [{"field", "value", "start", "end"}]
    actions: str = "[]"  # JSON: [{"action", "overruled_by", "held_back"}]


class RunRow(SQLModel, table=True):
    """One thing that was done to the mailbox, whole: it is undone whole, too."""

    __tablename__ = "run"

    id: int | None = Field(default=None, primary_key=True)
    at: int = Field(index=True)
    actor: str  # a ``runs.Actor``
    kind: str = "done"  # a RunKind: what it is to what was done first
    saying: str  # what was done first, in words
    messages: int = 0  # how many it changed
    rule_id: int | None = Field(default=None, foreign_key="rule.id", ondelete="SET NULL")
    lasting: bool = False  # not undone by the undo key: what opening a message does by itself
    undoes: int | None = Field(default=None, foreign_key="run.id")
    undone_by: int | None = Field(default=None, foreign_key="run.id")


class JournalRow(SQLModel, table=True):
    """One change of a run: a slot of a message (or of another thing), before and after.

    For a message the slot is a column of ``message``, or "label" (a label's id; null is none);
    for other tables it is "row", and both sides are JSON (null where it did not exist).
    """

    __tablename__ = "journal"
    __table_args__ = (
        Index("journal_of_run", "run_id"),
        Index("journal_of_message", "entity_id", "slot", sqlite_where=text("entity = 'message'")),
        Index("journal_of_rule", "entity_id", sqlite_where=text("entity = 'rule'")),
    )

    id: int | None = Field(default=None, primary_key=True)
    run_id: int = Field(foreign_key="run.id", ondelete="CASCADE")
    entity: str
    entity_id: int
    slot: str
    before: str | None = None
    after: str | None = None
    rule_id: int | None = None  # whose doing it was, where a rule's


class TurnedAwayRow(SQLModel, table=True):
    """Something that the owner was told of and turned away, with the evidence it had then."""

    __tablename__ = "turned_away"
    __table_args__ = {"sqlite_with_rowid": False}

    what: str = Field(primary_key=True)
    evidence: int


class PostedRow(SQLModel, table=True):
    """A message that goes outside: a forward or an automatic reply.

    ``state``: it is only "kept" here, or is "waiting" for its account's submission server
    ``since`` then until it is ``due`` again, or it ``ended`` there, "sent" or "failed". ``said`` is
    the last thing that the server said.
    """

    __tablename__ = "posted"
    __table_args__ = (Index("posted_state", "state", "account_id"),)

    id: int | None = Field(default=None, primary_key=True)
    at: int = Field(index=True)
    kind: str  # "forward" or "reply"
    rule_name: str
    message_id: int | None = Field(
        default=None, foreign_key="message.id", ondelete="SET NULL", index=True
    )
    sender: str
    recipient: str
    recipient_canonical: str = Field(index=True)
    subject: str
    octets: bytes
    account_id: int | None = None
    state: str = "kept"
    tries: int = 0
    since: int | None = None
    due: int | None = None
    ended: int | None = None
    said: str = ""
