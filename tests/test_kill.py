"""kill -9 in the middle of arrivals and imports: nothing acknowledged is lost, nothing doubled."""

import os
import random
import re
import signal
import smtplib
import sqlite3
import subprocess
import sys
import threading
import time
from pathlib import Path

#: How often the server is killed; at a random moment each time, from a fixed seed.
KILLS = 36
SENDERS = 3


class Running:
    """A Mnemic in a process of its own, as `mnemic serve` starts it."""

    def __init__(self, data: Path) -> None:
        environment = {
            **os.environ,
            "MNEMIC_DATA": str(data),
            "MNEMIC_PORT": "0",
            "MNEMIC_SMTP_PORT": "0",
            "PYTHONUNBUFFERED": "1",
        }
        self.process = subprocess.Popen(
            [sys.executable, "-m", "mnemic", "serve"],
            env=environment,
            stdout=subprocess.PIPE,
            text=True,
        )
        self.port = 0
        assert self.process.stdout is not None
        for line in self.process.stdout:
            if found := re.search(r"SMTP on .* port (\d+)", line):
                self.port = int(found[1])
                break
        assert self.port, "the server did not start"

    def kill(self) -> None:
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()
        assert self.process.stdout is not None
        self.process.stdout.close()


def letter(number: str) -> bytes:
    return (
        f"Message-ID: <{number}@x.example>\r\nFrom: ann@x.example\r\nTo: me@x.example\r\n"
        f"Subject: {number}\r\n\r\n{'text ' * 200}\r\n"
    ).encode()


def send(port: int, sender: int, waiting: list[str], acknowledged: list[str]) -> None:
    """Send what waits, as a mail server does: what was not acknowledged stays waiting."""
    try:
        with smtplib.SMTP("127.0.0.1", port, timeout=10) as client:
            while waiting:
                client.sendmail("ann@x.example", ["me@x.example"], letter(waiting[0]))
                acknowledged.append(waiting.pop(0))
    except (smtplib.SMTPException, OSError):
        return  # the server is gone; the rest is sent to the next one


def test_kill_9_at_any_moment_loses_no_acknowledged_message_and_doubles_none(
    tmp_path: Path,
) -> None:
    chance = random.Random(20_261_123)  # noqa: S311 -- nothing secret
    data = tmp_path / "data"
    waiting = [[f"{sender}-{number}" for number in range(400)] for sender in range(SENDERS)]
    acknowledged: list[list[str]] = [[] for _ in range(SENDERS)]
    for _ in range(KILLS):
        server = Running(data)
        threads = [
            threading.Thread(
                target=send, args=(server.port, each, waiting[each], acknowledged[each])
            )
            for each in range(SENDERS)
        ]
        for thread in threads:
            thread.start()
        time.sleep(chance.uniform(0.0, 0.35))
        server.kill()
        for thread in threads:
            thread.join()
    # What waits after a lost answer may be here or not; it is sent again, and is here once.
    last = Running(data)
    for each in range(SENDERS):
        waiting[each] = waiting[each][:5]
        send(last.port, each, waiting[each], acknowledged[each])
        assert waiting[each] == []
    last.kill()
    connection = sqlite3.connect(data / "mnemic.sqlite3")
    assert connection.execute("PRAGMA integrity_check").fetchall() == [("ok",)]
    here = [subject for (subject,) in connection.execute("SELECT subject FROM message")]
    indexed = connection.execute("SELECT count(*) FROM message_folded").fetchone()[0]
    connection.close()
    assert len(here) == len(set(here)) == indexed
    sent = {number for numbers in acknowledged for number in numbers}
    assert len(sent) > 2 * KILLS, "too little was sent to say anything"
    assert sent <= set(here)
