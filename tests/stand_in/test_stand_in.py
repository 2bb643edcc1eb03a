"""The simulated server, asked by the standard library's client: RFC 9051 and its extensions.

Expected answers are from the RFCs named beside them, from memory.
"""

import imaplib
import re
import smtplib
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.stand_in.standing_in import USER, StandIn, standing_in

LETTER = b"From: a@x.example\r\nSubject: permit %d\r\nMessage-ID: <%d@x.example>\r\n\r\nbody\r\n"


@pytest.fixture(scope="module")
def running(tmp_path_factory: pytest.TempPathFactory) -> Iterator[StandIn]:
    with standing_in(tmp_path_factory.mktemp("stand-in")) as started:
        yield started


@pytest.fixture
def device(running: StandIn) -> Iterator[imaplib.IMAP4]:
    client = running.device()
    yield client
    client.logout()


def filled(client: imaplib.IMAP4, name: str, count: int = 3) -> str:
    client.create(name)
    for number in range(1, count + 1):
        client.append(name, "", "", LETTER % (number, number))
    client.select(name)
    return name


def told(client: imaplib.IMAP4, command: str, *arguments: str) -> str:
    """The status and all lines of an answer."""
    status, lines = client.uid(command, *arguments)
    return f"{status} " + " ".join(str(line) for line in lines)


def test_a_wrong_password_is_refused(running: StandIn) -> None:
    client = imaplib.IMAP4("127.0.0.1", running.ports["imap"], timeout=60)
    with pytest.raises(imaplib.IMAP4.error, match="AUTHENTICATIONFAILED"):
        client.login(USER, "wrong")
    client.shutdown()


def test_messages_are_what_was_put_in(device: imaplib.IMAP4) -> None:
    filled(device, "Octets")
    _, fetched = device.uid("FETCH", "2", "(FLAGS RFC822.SIZE BODY.PEEK[])")
    assert isinstance(fetched[0], tuple)
    assert fetched[0][1] == LETTER % (2, 2)
    assert b"RFC822.SIZE %d" % len(LETTER % (2, 2)) in fetched[0][0]
    _, fetched = device.uid("FETCH", "2", "(BODY.PEEK[HEADER.FIELDS (MESSAGE-ID)])")
    assert isinstance(fetched[0], tuple)
    assert fetched[0][1] == b"Message-ID: <2@x.example>\r\n\r\n"
    assert "\\Seen" not in told(device, "FETCH", "2", "(FLAGS)")


def test_a_move_tells_the_new_uids_before_the_messages_go(device: imaplib.IMAP4) -> None:
    """RFC 6851, section 4.3."""
    filled(device, "Moves")
    device.create("Moved")
    device.uid("MOVE", "1,3", "Moved")
    ((code,),) = (device.response("COPYUID")[1],)
    assert re.fullmatch(rb"\d+ 1,3 1:2", code)
    assert told(device, "SEARCH", "ALL") == "OK b'2'"


def test_only_what_is_named_is_expunged(device: imaplib.IMAP4) -> None:
    """RFC 4315, section 2.1: UID EXPUNGE leaves alone what others have marked."""
    filled(device, "Expunged")
    device.uid("STORE", "1:2", "+FLAGS.SILENT", "(\\Deleted)")
    device.uid("EXPUNGE", "1")
    assert told(device, "SEARCH", "ALL") == "OK b'2 3'"


def test_keywords_are_the_same_in_any_case(device: imaplib.IMAP4) -> None:
    filled(device, "Keywords")
    device.uid("STORE", "1", "+FLAGS", "(Lock_works)")
    device.uid("STORE", "1", "+FLAGS", "(lock_WORKS)")
    assert "(Lock_works)" in told(device, "FETCH", "1", "(FLAGS)")
    assert told(device, "SEARCH", "KEYWORD", "LOCK_WORKS") == "OK b'1'"
    device.uid("STORE", "1", "-FLAGS", "(LOCK_works)")
    assert "()" in told(device, "FETCH", "1", "(FLAGS)")


def test_what_changed_since_is_told_alone(device: imaplib.IMAP4) -> None:
    """RFC 7162, sections 3.1.4 and 3.2.6."""
    filled(device, "Changes", 5)
    (modseq,) = device.response("HIGHESTMODSEQ")[1]
    device.uid("STORE", "4", "+FLAGS", "(\\Flagged)")
    since = int(modseq)
    changed = told(device, "FETCH", "1:*", f"(FLAGS) (CHANGEDSINCE {since})")
    assert re.findall(r"UID (\d+)", changed) == ["4"]
    device.uid("STORE", "2", "+FLAGS.SILENT", "(\\Deleted)")
    device.expunge()
    device.uid("FETCH", "1:*", f"(FLAGS) (CHANGEDSINCE {since} VANISHED)")
    assert device.response("VANISHED")[1] == [b"(EARLIER) 2"]


@pytest.mark.parametrize(
    "name", ["Moorings/Permits", 'Quo"te', "Back\\slash", "Übung & Ähnliches", "a b"]
)
def test_folders_have_the_names_they_are_given(device: imaplib.IMAP4, name: str) -> None:
    from imapclient.imap_utf7 import encode

    written = b'"' + encode(name).replace(b"\\", b"\\\\").replace(b'"', b'\\"') + b'"'
    assert device.create(written.decode())[0] == "OK"
    assert device.create(written.decode())[0] == "NO"
    assert any(
        line and isinstance(line, bytes) and line.endswith(written) for line in device.list()[1]
    )
    assert device.delete(written.decode())[0] == "OK"


def test_mail_comes_in_and_is_told_to_who_waits(running: StandIn, device: imaplib.IMAP4) -> None:
    """RFC 2177."""
    device.select("INBOX")
    device.send(b"x1 IDLE\r\n")
    assert device.readline().startswith(b"+")
    with smtplib.SMTP("127.0.0.1", running.ports["smtp"], timeout=60) as post:
        post.sendmail("a@x.example", [USER], LETTER % (9, 9))
    assert re.fullmatch(rb"\* \d+ EXISTS\r\n", device.readline())
    device.send(b"DONE\r\n")
    assert b"OK" in device.readline()


def test_all_is_kept_over_a_restart(tmp_path: Path) -> None:
    with standing_in(tmp_path) as first:
        client = first.device()
        filled(client, "Kept")
        client.uid("STORE", "2", "+FLAGS", "(\\Flagged Permits)")
        client.uid("MOVE", "3", "Archive")
        (validity,) = client.response("UIDVALIDITY")[1]
        client.logout()
    with standing_in(tmp_path) as second:
        client = second.device()
        client.select("Kept")
        assert client.response("UIDVALIDITY")[1] == [validity]
        assert told(client, "SEARCH", "ALL") == "OK b'1 2'"
        assert "(Permits \\Flagged)" in told(client, "FETCH", "2", "(FLAGS)").replace("\\\\", "\\")
        client.append("Kept", "", "", LETTER % (4, 4))
        assert told(client, "SEARCH", "UID", "4") == "OK b'4'"
        client.logout()


@pytest.mark.parametrize(
    ("extension", "command"),
    [("MOVE", ("MOVE", "1", "Archive")), ("UIDPLUS", ("EXPUNGE", "1"))],
)
def test_extensions_can_be_switched_off(
    tmp_path: Path, extension: str, command: tuple[str, ...]
) -> None:
    with standing_in(tmp_path, "--without", extension) as limited:
        client = limited.device()
        assert extension not in client.capability()[1][0].decode().split()
        filled(client, "Limited")
        with pytest.raises(imaplib.IMAP4.error, match="BAD"):
            client.uid(*command)
        client.logout()
