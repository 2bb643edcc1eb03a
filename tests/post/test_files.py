"""Messages from files, checked against the standard library's mailbox package."""

import mailbox
from pathlib import Path

import pytest

from mnemic.post import NotMailError, read_files

MESSAGES = [
    b"From: a@x.example\nSubject: one\n\nFrom here on nothing is cut.\n\nbye\n",
    b"Subject: two\n\n>From the quoted deep\n",
    b"Subject: three\n\nlast without end",
]


def test_an_mbox_written_by_the_standard_library_is_read_alike(tmp_path: Path) -> None:
    path = tmp_path / "mail.mbox"
    box = mailbox.mbox(path)
    for octets in MESSAGES[:1] + MESSAGES[2:]:
        box.add(octets)
    box.close()
    messages = list(read_files([path]))
    assert [message.source for message in messages] == [f"{path}#0", f"{path}#1"]
    assert messages[0].octets == MESSAGES[0]
    assert messages[1].octets.rstrip(b"\n") == MESSAGES[2]


def test_quoting_is_taken_off_and_sentences_do_not_cut(tmp_path: Path) -> None:
    path = tmp_path / "archive"  # known as an mbox by its first line
    path.write_bytes(
        b"From a@x.example Mon May  4 09:00:00 2026\r\nSubject: one\r\n\r\n>From me\r\n>>From you\r\n\r\n"
        b"From then on all was well.\r\n\r\n"
        b"From b@x.example Mon May  4 09:00:00 2026\r\nSubject: two\r\n\r\nx\r\n\r\n"
    )
    assert [message.octets for message in read_files([path])] == [
        b"Subject: one\r\n\r\nFrom me\r\n>From you\r\n\r\nFrom then on all was well.\r\n",
        b"Subject: two\r\n\r\nx\r\n",
    ]


def test_an_empty_mbox_holds_nothing(tmp_path: Path) -> None:
    (tmp_path / "empty.mbox").touch()
    assert list(read_files([tmp_path / "empty.mbox"])) == []


def test_a_maildir_gives_new_and_cur_by_name_with_flags(tmp_path: Path) -> None:
    box = mailbox.Maildir(tmp_path / "box", create=True)
    for octets, flags in zip(MESSAGES, ["", "S", "FS"], strict=True):
        message = mailbox.MaildirMessage(octets)
        message.set_subdir("cur" if flags else "new")
        message.set_flags(flags)
        box.add(message)
    messages = list(read_files([tmp_path / "box"]))
    assert [Path(message.source).name for message in messages] == sorted(
        path.name for path in (tmp_path / "box").glob("*/*")
    )
    assert sorted((message.seen, message.flagged) for message in messages) == [
        (False, False),
        (True, False),
        (True, True),
    ]


def test_what_is_not_mail_is_told(tmp_path: Path) -> None:
    picture = tmp_path / "picture.eml"
    picture.write_bytes(b"\x89PNG\r\n\x1a\n")
    with pytest.raises(NotMailError, match=r"picture\.eml: this is not mail"):
        list(read_files([picture], only_mail=True))
    with pytest.raises(NotMailError, match="no Maildir"):
        list(read_files([tmp_path]))
