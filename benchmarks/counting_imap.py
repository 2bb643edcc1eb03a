"""Counts what imaplib sends and reads: commands, and octets over the wire."""

import imaplib
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

__all__ = ["counting_imap"]


@contextmanager
def counting_imap() -> Iterator[Counter[str]]:
    """By the name of a command how many are sent, and under ``octets`` what goes over the wire."""
    counted: Counter[str] = Counter()
    kept = {name: getattr(imaplib.IMAP4, name) for name in ("_command", "send", "read", "readline")}

    def command(imap: Any, name: str, *arguments: Any) -> Any:
        words = [argument for argument in arguments[:3] if isinstance(argument, str)]
        is_uid = name == "UID" and words
        counted[words[0] if is_uid else name] += 1
        return kept["_command"](imap, name, *arguments)

    def send(imap: Any, octets: bytes) -> None:
        counted["octets"] += len(octets)
        kept["send"](imap, octets)

    def read(imap: Any, size: int) -> bytes:
        octets: bytes = kept["read"](imap, size)
        counted["octets"] += len(octets)
        return octets

    def readline(imap: Any) -> bytes:
        octets: bytes = kept["readline"](imap)
        counted["octets"] += len(octets)
        return octets

    changed = {"_command": command, "send": send, "read": read, "readline": readline}
    for name, function in changed.items():
        setattr(imaplib.IMAP4, name, function)
    try:
        yield counted
    finally:
        for name, function in kept.items():
            setattr(imaplib.IMAP4, name, function)
