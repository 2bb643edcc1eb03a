"""A Mnemic in a process of its own, as `mnemic serve` starts it."""

import json
import os
import re
import subprocess
import sys
import urllib.request
from pathlib import Path
from typing import Any

__all__ = ["Serving"]


class Serving:
    """One that serves a data folder on free ports, until it is stopped or killed."""

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
        self.smtp_port, self.address = 0, ""
        assert self.process.stdout is not None
        for line in self.process.stdout:
            if address := re.search(r"Mnemic is at (\S+)", line):
                self.address = address[1]
            if address := re.search(r"SMTP on .* port (\d+)", line):
                self.smtp_port = int(address[1])
                break
        assert self.smtp_port, "the server did not start"

    def ask(self, path: str, body: Any = None) -> Any:
        """What the API answers; with a body it is posted."""
        octets = None if body is None else json.dumps(body).encode()
        headers = {"Content-Type": "application/json"}
        request = urllib.request.Request(f"{self.address}{path}", octets, headers)
        with urllib.request.urlopen(request, timeout=60) as answer:
            return json.loads(answer.read())

    def end(self, signal: int) -> None:
        """Send it a signal, and wait until it is gone."""
        self.process.send_signal(signal)
        self.process.wait()
        assert self.process.stdout is not None
        self.process.stdout.close()
