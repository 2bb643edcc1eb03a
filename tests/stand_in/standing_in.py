"""The stand-in as its own process, and the standard library's client as another device."""

import imaplib
import json
import signal
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

USER, PASSWORD = "tamsin@wendle-lyde.example", 'tow path"\\'


@dataclass(frozen=True)
class StandIn:
    ports: dict[str, int]
    process: subprocess.Popen[str]

    def device(self) -> imaplib.IMAP4:
        """Another device, logged in."""
        client = imaplib.IMAP4("127.0.0.1", self.ports["imap"], timeout=60)
        client.login(USER, PASSWORD)
        return client


@contextmanager
def standing_in(folder: Path, *options: str, port: int = 0) -> Iterator[StandIn]:
    """A stand-in over a folder; it ends with the block."""
    command = [
        *(sys.executable, "-m", "mnemic", "stand-in", "--folder", str(folder)),
        *("--user", USER, "--password", PASSWORD, "--imap-port", str(port), *options),
    ]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    try:
        assert process.stdout is not None
        yield StandIn(json.loads(process.stdout.readline()), process)
    finally:
        process.send_signal(signal.SIGTERM)
        try:
            process.wait(timeout=60)
        finally:
            process.kill()  # nothing where it has ended
            process.stdout.close()  # type: ignore[union-attr] # it is a pipe
