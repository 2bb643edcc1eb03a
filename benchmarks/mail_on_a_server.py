"""Mail on a stand-in, for what is measured of a mailbox on a server."""

import json
import random
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from mnemic.stand_in.boxes import Account
from mnemic.stand_in.keeping import Keeping

__all__ = ["PASSWORD", "USER", "fill", "mail_on_a_server", "standing_in"]

USER, PASSWORD = "me@trust.example", "towpath"
FOLDERS = 50
_WORDS = (
    "berth permit licence harbour invoice tide survey notice crane meeting lease repair".split()
)


def mail_on_a_server(count: int) -> Iterator[bytes]:
    """Messages of 2 to 9 KB, always the same."""
    draw = random.Random(18)
    for number in range(count):
        lines = (" ".join(draw.choices(_WORDS, k=10)) for _ in range(draw.randint(28, 128)))
        head = (
            f"From: Ann {number % 97} <ann{number % 97}@sender.example>\r\nTo: {USER}\r\n"
            f"Subject: {draw.choice(_WORDS)} {number}\r\nDate: Mon, 04 May 2026 09:00:00 +0000\r\n"
            f"Message-ID: <{number}@sender.example>\r\n\r\n"
        )
        yield (head + "\r\n".join(lines) + "\r\n").encode()


def fill(folder: Path, messages: int) -> list[bytes]:
    """A stand-in's mail, written where it keeps it: of five three in the inbox, two in folders."""
    keeping, account, mail = (
        Keeping(folder),
        Account(USER, PASSWORD),
        list(mail_on_a_server(messages)),
    )
    for number, octets in enumerate(mail):
        name = "INBOX" if number % 5 < 3 else f"Older/{number // 5 % FOLDERS:02}"
        if name not in account.boxes:
            account.create(name)
        account.boxes[name].add(octets, [], 1_777_885_200 + number)
    keeping.write(keeping.changes({USER: account}))
    return mail


@contextmanager
def standing_in(folder: Path, *without: str) -> Iterator[dict[str, int]]:
    """A stand-in over a folder, in a process of its own, without some extensions; its ports."""
    options = [option for extension in without for option in ("--without", extension)]
    command = [
        *(sys.executable, "-m", "mnemic", "stand-in", "--folder", str(folder), "--while-input"),
        *("--user", USER, "--password", PASSWORD, *options),
    ]
    with subprocess.Popen(  # noqa: S603 -- it is our own program
        command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    ) as process:
        assert process.stdin is not None
        assert process.stdout is not None
        try:
            yield json.loads(process.stdout.readline())
        finally:
            process.stdin.close()
            process.wait(timeout=60)
