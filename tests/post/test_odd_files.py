"""Files made to harm: each is taken in or refused in words, and the folder goes on."""

import bz2
import gzip
import io
import lzma
import os
import tarfile
import threading
import tracemalloc
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from mnemic.core.bounds import MOST_MESSAGE
from mnemic.post import read_files
from mnemic.post.drop_folder import DropFolder, FolderError
from mnemic.post.files import MailFileError

MAIL = b"From: a@x.example\nSubject: one\n\nbody\n"


def tar(*members: tuple[str, bytes], **fields: Any) -> bytes:
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode="w", format=tarfile.PAX_FORMAT) as archive:
        for name, octets in members:
            entry = tarfile.TarInfo(name)
            entry.size = len(octets)
            for field, value in fields.items():
                setattr(entry, field, value)
            archive.addfile(entry, io.BytesIO(octets))
    return buffer.getvalue()


def with_pax(key: str, value: str) -> bytes:
    return tar(("box/cur/1", MAIL), pax_headers={key: value})


def huge_header() -> bytes:
    """A pax header said to be of 8 GB, of which nothing follows."""
    entry = tarfile.TarInfo("x")
    entry.type, entry.size = tarfile.XHDTYPE, 2**33 - 1
    return entry.tobuf(tarfile.GNU_FORMAT) + b"\0" * 2048


def sparse() -> bytes:
    """A file of GNU's old sparse kind: a hole of a gigabyte and one octet."""
    entry = tarfile.TarInfo("box/cur/1")
    entry.type, entry.size = tarfile.GNUTYPE_SPARSE, 1
    head = bytearray(entry.tobuf(tarfile.GNU_FORMAT))
    head[386:410] = b"%011o\0%011o\0" % (2**30, 1)
    head[483:495] = b"%011o\0" % (2**30 + 1)
    head[148:156] = b"        "
    head[148:156] = b"%06o\0 " % sum(head)
    return bytes(head) + b"x" + b"\0" * 511 + b"\0" * 1024


ZEROS = tar(("box/cur/1", MAIL), *((f"other{n}", b"\0" * 40_000_000) for n in range(4)))

#: Name to what is in it, and what is said of it; None where its mail is read.
FILES: dict[str, tuple[Callable[[], bytes], str | None]] = {
    "bomb.tar.gz": (lambda: gzip.compress(ZEROS), "it unpacks to far more than mail does"),
    "bomb.tar.bz2": (lambda: bz2.compress(ZEROS), "it unpacks to far more than mail does"),
    "bomb.tar.xz": (lambda: lzma.compress(ZEROS), "it unpacks to far more than mail does"),
    "good.tar.xz": (lambda: lzma.compress(tar(("box/cur/1", MAIL))), None),
    "two-streams.tar.xz": (lambda: lzma.compress(tar(("box/cur/1", MAIL))) + b"\0" * 4 + lzma.compress(b""), None),
    "memory.tar.xz": (lambda: lzma.compress(tar(("box/cur/1", MAIL)), filters=[{"id": lzma.FILTER_LZMA2, "dict_size": 2**29}]), "Memory usage limit"),
    "cut.tar.gz": (lambda: gzip.compress(tar(("box/cur/1", MAIL)))[:-20], "no tar archive that can be read"),
    "not.tar": (lambda: b"certainly not" * 100, "no tar archive that can be read"),
    "header.tar": (huge_header, "a header in it is too large"),
    "sparse.tar": (sparse, "holes"),
    "late.tar": (lambda: with_pax("mtime", "99999999999999"), None),
    "never.tar": (lambda: with_pax("mtime", "nan"), None),
    "early.tar": (lambda: with_pax("mtime", "-1e300"), None),
    "large.tar": (lambda: tar(("box/cur/1", MAIL + b"x" * MOST_MESSAGE)), "larger than a message may be"),
    "large.eml": (lambda: MAIL + b"x" * MOST_MESSAGE, "larger than the 50 MB"),
    "large.mbox": (lambda: b"From a Mon May  4 09:00:00 2026\n" + MAIL + (b"x" * 99 + b"\n") * (MOST_MESSAGE // 100), "larger than the 50 MB"),
    "line.mbox": (lambda: b"From a Mon May  4 09:00:00 2026\n" + MAIL + b"x" * (MOST_MESSAGE + 1), "larger than the 50 MB"),
}  # fmt: skip


@pytest.mark.parametrize("name", FILES)
def test_an_odd_file_is_read_or_refused_in_words_in_bounded_memory(
    tmp_path: Path, name: str
) -> None:
    make, said = FILES[name]
    path = tmp_path / name
    path.write_bytes(make())
    tracemalloc.start()
    try:
        if said is None:
            (message,) = read_files([path], only_mail=True)
            assert message.octets == MAIL
        else:
            with pytest.raises(MailFileError, match=said):
                list(read_files([path], only_mail=True))
        peak = tracemalloc.get_traced_memory()[1]
    finally:
        tracemalloc.stop()
    assert peak < 4 * MOST_MESSAGE


def put_odd_things(folder: Path) -> dict[str, str]:
    """What nobody would drop; what is said of each."""
    long = "n" * 251 + ".eml"
    (folder / long).write_bytes(MAIL)
    os.mkfifo(folder / "pipe")
    (folder / "device.eml").symlink_to("/dev/zero")
    (folder / "nowhere.eml").symlink_to("/nowhere")
    (folder / "breaks.eml").write_bytes(b"From: breaks\n\n")
    (folder / "late.eml").write_bytes(MAIL)
    os.utime(folder / "late.eml", ns=(2**62, 2**62))
    Path(os.fsdecode(os.fsencode(folder) + b"/\xff\xfe.eml")).write_bytes(MAIL)
    return {"pipe": "not a file", "device.eml": "not a file", "nowhere.eml": "not a file", "breaks.eml": "could not read it"}  # fmt: skip


def test_nothing_that_is_dropped_ends_the_folder(tmp_path: Path) -> None:
    folder = tmp_path / "drop"

    def take(path: Path) -> str:
        (one,) = read_files([path], only_mail=True)
        if b"breaks" in one.octets:
            raise RuntimeError("a mistake of ours")
        return "1 taken in"

    dropped = DropFolder(folder, take)
    dropped.make()
    refused = put_odd_things(folder)
    dropped.look()
    dropped.look()
    assert {file.name for file in folder.iterdir()} == {"taken", "refused"}
    for name, said in refused.items():
        assert said in (folder / "refused" / f"{name}.why.txt").read_text("utf-8")
    assert len(list((folder / "taken").glob("*.taken.txt"))) == 3


def test_the_folder_may_go_and_come_back(tmp_path: Path) -> None:
    taken = threading.Event()

    def take(_path: Path) -> str:
        taken.set()
        return "taken"

    dropped, stop = DropFolder(tmp_path / "drop", take), threading.Event()
    dropped.make()
    thread = threading.Thread(target=dropped.run, args=(stop,))
    thread.start()
    try:
        for name in ("taken", "refused", ""):
            (tmp_path / "drop" / name).rmdir()
        for _ in range(200):
            if (tmp_path / "drop" / "taken").is_dir():
                break
            stop.wait(0.1)
        (tmp_path / "drop" / "one.eml").write_bytes(MAIL)
        assert taken.wait(60)
    finally:
        stop.set()
        thread.join()


def test_a_file_in_the_folder_s_place_is_said(tmp_path: Path) -> None:
    (tmp_path / "drop").write_text("a file")
    with pytest.raises(FolderError, match="a file stands where a folder has to be"):
        DropFolder(tmp_path / "drop", str).make()
