"""Mail out of the mailbox and in again, byte for byte; the standard library reads it alike."""

import io
import mailbox
import re
import tarfile
from pathlib import Path

from hypothesis import example, given, settings
from hypothesis import strategies as st

from mnemic.post import ExportedMessage, mailbox_archive, mbox_octets, read_files, write_maildir
from mnemic.post.files import split_mbox

#: Lines that quoting, separating and ending could trip over.
LINES = st.sampled_from(
    [
        b"", b"From ", b"From me to you 12:30", b">From x", b">>From y", b" From z", b"from", b"text",
        b"From a@x.example Mon May  4 09:00:00 2026", b"From a Mon May  4 09:00:00 2026 unended", b"\xff\x00",
    ]
)  # fmt: skip
ENDS = st.sampled_from([b"\n", b"\r\n", b"\r"])
BODIES = st.lists(st.tuples(LINES, ENDS), max_size=8).map(lambda ls: b"".join(a + b for a, b in ls))
OCTETS = st.tuples(BODIES, LINES).map(lambda pair: b"Subject: x\n\n" + pair[0] + pair[1])


def exported(
    number: int, octets: bytes, *, seen: bool = False, flagged: bool = False
) -> ExportedMessage:
    return ExportedMessage(number, octets, "ann@x.example", 1_777_885_200 + number, seen, flagged)


@settings(deadline=None)
@given(st.lists(OCTETS, max_size=5))
@example([b"Subject: x\n\nno end", b"Subject: y\r\n\r\nFrom x\r\n", b"Subject: z\n\n\n\n"])
def test_an_mbox_gives_back_every_message_byte_for_byte(messages: list[bytes]) -> None:
    whole = b"".join(mbox_octets(exported(*numbered) for numbered in enumerate(messages)))
    assert list(split_mbox(io.BytesIO(whole))) == messages


def test_the_standard_library_reads_our_mbox(tmp_path: Path) -> None:
    messages = [b"Subject: one\n\nFrom here\n", b"Subject: two\n\n>From there\n\nbye\n"]
    path = tmp_path / "out.mbox"
    path.write_bytes(b"".join(mbox_octets(exported(*numbered) for numbered in enumerate(messages))))
    box = mailbox.mbox(path)
    # It leaves the quoting to its reader.
    octets_of_box = [box.get_bytes(key) for key in box.keys()]  # noqa: SIM118 -- a box iterates messages
    assert [re.sub(rb"(?m)^>(>*From )", rb"\1", kept) for kept in octets_of_box] == messages
    assert next(iter(box)).get_from() == "ann@x.example Mon May  4 09:00:00 2026"
    box.close()


def test_a_maildir_keeps_octets_and_flags_for_the_standard_library_and_for_us(
    tmp_path: Path,
) -> None:
    messages = [
        exported(1, b"Subject: one\r\n\r\nFrom me\r\n"),
        exported(2, b"Subject: two\n\nno end", seen=True),
        exported(3, b"Subject: three\n\n", seen=True, flagged=True),
    ]
    assert write_maildir(tmp_path / "box", messages) == 3
    box = mailbox.Maildir(tmp_path / "box", create=False)
    assert sorted((message.get_flags(), message["Subject"]) for message in box) == [
        ("", "one"),
        ("FS", "three"),
        ("S", "two"),
    ]
    back = list(read_files([tmp_path / "box"]))
    assert [(message.octets, message.seen, message.flagged) for message in back] == [
        (message.octets, message.seen, message.flagged) for message in messages
    ]


def test_a_maildir_travels_in_a_tar_archive(tmp_path: Path) -> None:
    messages = [exported(1, b"Subject: one\n\n", flagged=True), exported(2, b"Subject: two\n\n")]
    path = tmp_path / "mail.tar"
    path.write_bytes(b"".join(mailbox_archive("Moorings", messages)))
    with tarfile.open(path) as archive:
        assert {"Moorings/cur", "Moorings/new", "Moorings/tmp"} <= set(archive.getnames())
    back = list(read_files([path], only_mail=True))
    assert [(message.octets, message.flagged) for message in back] == [
        (message.octets, message.flagged) for message in messages
    ]
