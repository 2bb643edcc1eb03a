"""Lists, folders and labels."""

from datetime import UTC, datetime, timedelta

from mnemic.core import parse_message
from mnemic.jobs import take_in
from mnemic.post.vcard import card_of
from mnemic.store import Database
from mnemic.store.mail.folders import ensure_folder, list_folders
from mnemic.store.mail.labels import COLOURS, ensure_label, list_labels
from mnemic.store.mail.listing import list_messages
from mnemic.store.owner.contacts import Contact, change_contact
from mnemic.store.search.completions import complete

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)


def test_pages_follow_each_other_newest_first(database: Database) -> None:
    with database.writing() as session:
        for number in range(25):  # five at each moment, so that the id has to decide
            received = NOW + timedelta(minutes=number // 5)
            take_in(session, parse_message(b"Subject: %d\n\n" % number), received=received)
    with database.reading() as session:
        pages = [
            list_messages(session, folder_id=1, offset=at, limit=7) for at in (0, 7, 14, 21, 28)
        ]
    assert {page.total for page in pages} == {25}
    subjects = [row.subject for page in pages for row in page.rows]
    assert subjects == [str(number) for number in reversed(range(25))]


def test_folders_and_labels_are_made_once_whatever_their_case(database: Database) -> None:
    with database.writing() as session:
        made = ensure_folder(session, "Moorings/Permits")
        assert ensure_label(session, "Permit") != ensure_label(session, "Towpath")
    with database.writing() as session:
        assert ensure_folder(session, "moorings/PERMITS") == made
        ensure_label(session, "PERMIT")
    with database.reading() as session:
        assert [folder.path for folder in list_folders(session)] == [
            "Inbox",
            "Moorings",
            "Moorings/Permits",
            "Archive",
            "Sent",
            "Junk",
            "Trash",
        ]
        colours = {label.name: label.colour for label in list_labels(session)}
        assert colours == dict(zip(["Permit", "Towpath"], COLOURS[:2], strict=True))


def test_completions_come_from_the_mailbox_the_most_frequent_first(database: Database) -> None:
    mail = [
        "Ann Brandt <Ann@heron.example>",
        "bob@heron.example",
        "bob@heron.example",
        "c@d.example",
    ]
    with database.writing() as session:
        for sender in mail:
            take_in(session, parse_message(f"From: {sender}\n\n".encode()), received=NOW)
    with database.reading() as session:
        addresses = complete(session, header="from", part="address", text="HERON")
        assert [(completion.value, completion.messages) for completion in addresses] == [
            ("bob@heron.example", 2),
            ("ann@heron.example", 1),
        ]
        by_name = complete(session, header="from", part="address", text="brandt")
        assert [completion.name for completion in by_name] == ["Ann Brandt"]
        domains = complete(session, header="from", part="domain", text="")
        assert [completion.value for completion in domains] == ["heron.example", "d.example"]


def test_completions_come_from_the_address_book_too(database: Database) -> None:
    with database.writing() as session:
        card = card_of("Bob Brandt", ["bob@berths.example"])
        change_contact(session, Contact(0, "Bob Brandt", ("bob@berths.example",), card))
        completions = complete(session, header="from", part="address", text="brandt")
        assert [(completion.value, completion.messages) for completion in completions] == [
            ("bob@berths.example", 0)
        ]
        (domain,) = complete(session, header="from", part="domain", text="berths")
        assert domain.value == "berths.example"
