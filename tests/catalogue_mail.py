"""Mail in which each field that rules have differs, and rules about it."""

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from typing import Any

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
ME = "ann@x.example"


def small_mail() -> Iterator[tuple[bytes, dict[str, Any]]]:
    """Small mail in which each field differs, and is missing now and then: Date, Subject, a name."""
    kinds = [
        "",
        "List-Id: Talk <talk.x.example>\nX-Priority: 1\n",
        "Auto-Submitted: auto-generated\n",
    ]
    for n in range(36):
        date_field = "" if n % 5 == 0 else f"Date: Mon, {1 + n % 9} May 2026 10:00:00 +0000\n"
        subject = "" if n % 7 == 0 else f"Subject: Permit {n % 4} für die Straße\n"
        sender = ["Ann <ann@x.example>", "bob+tag@mail.x.example", "Jürg <j@bücher.example>"][n % 3]
        extra = (
            f"Sender: office@x.example\nReply-To: help@x.example\nX-Tag: blue {n % 3}\n"
            if n % 2
            else ""
        )
        to = ["ann@x.example", "moorings+new@x.example, ann@x.example", "all@list.example"][n % 3]
        copied = f"Cc: {ME}\nBcc: quiet@x.example\n" if n % 4 == 1 else ""
        head = f"From: {sender}\nTo: {to}\n{copied}{subject}{date_field}{extra}{kinds[n % 3]}"
        text = f"Hello {n % 6}, the berth."
        if n % 4 == 0:
            attached = 'Content-Type: application/pdf\nContent-Disposition: attachment; filename="plan.pdf"\n\nx'
            head += 'MIME-Version: 1.0\nContent-Type: multipart/mixed; boundary="b"\n'
            text = f"--b\n\n{text}\n--b\n{attached}\n--b--"
        yield (
            f"{head}\n{text}\n".encode(),
            {"received": NOW - timedelta(hours=n * 11), "seen": n % 3 == 1},
        )


def rule_with(*then: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {"name": "Rule", "when": {"always": True}, "then": list(then), **more}
