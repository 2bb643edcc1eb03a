"""A child process that runs scripts over messages with sifter3, which knows no size or envelope.

It reads and prints what ``libsieve.py`` does. A process of its own, since the library leaves files
open.
"""

import email
import io
import json
import sys
from typing import Any

import sifter.parser


def run(asked: dict[str, str]) -> dict[str, Any]:
    """What the library does."""
    rules = sifter.parser.parse_file(io.StringIO(asked["script"].replace("\r\n", "\n")))
    actions: list[Any] = rules.evaluate(email.message_from_string(asked["message"])) or []
    folders = [action[1][0] for action in actions if action[0] == "fileinto"]
    return {"folders": folders, "errors": []}


if __name__ == "__main__":
    print(json.dumps([run(case) for case in json.load(sys.stdin)]))  # noqa: T201
