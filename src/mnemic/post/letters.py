"""Letters that Mnemic writes: forwards, automatic replies, and test messages."""

from collections.abc import Mapping
from datetime import datetime
from email.message import EmailMessage
from email.policy import SMTP, SMTPUTF8
from email.utils import format_datetime, make_msgid

from mnemic.core.actions import FORWARD_MARK

__all__ = ["forwarded", "reply_to", "written"]


def _domain(address: str) -> str:
    return address.rpartition("@")[2] or "localhost"


def _line(text: str) -> str:
    """Text that may stand in a header field: on one line."""
    return " ".join(text.split())


def forwarded(octets: bytes, *, sender: str, recipient: str, at: datetime) -> bytes:
    """A message sent on: its octets as they are, below fields that say so (RFC 5322, 3.6.6).

    The mark tells Mnemic that it has forwarded this message for ``sender``.
    """
    fields = {
        FORWARD_MARK: sender,
        "Resent-From": sender,
        "Resent-To": recipient,
        "Resent-Date": format_datetime(at),
        "Resent-Message-ID": make_msgid(domain=_domain(sender)),
    }
    head = "".join(f"{name}: {_line(value)}\r\n" for name, value in fields.items())
    return head.encode("utf-8") + octets


def reply_to(
    *,
    sender: str,
    recipient: str,
    subject: str,
    text: str,
    at: datetime,
    message_id: str | None,
) -> bytes:
    """An automatic reply, marked as one (RFC 3834, section 3.1)."""
    letter = _letter(sender, recipient, subject, text, at)
    letter["Auto-Submitted"] = "auto-replied"
    if message_id:
        letter["In-Reply-To"] = letter["References"] = _line(message_id)
    return bytes(letter)


def written(
    *,
    sender: str,
    recipients: tuple[str, ...],
    subject: str,
    text: str,
    at: datetime,
    headers: Mapping[str, str],
) -> bytes:
    """A message as anybody would write it, with further header fields.

    Raises ValueError where a field can't be written.
    """
    letter = _letter(sender, ", ".join(recipients), subject, text, at)
    for name, value in headers.items():
        letter[name] = _line(value)
    return bytes(letter)


def _letter(sender: str, recipient: str, subject: str, text: str, at: datetime) -> EmailMessage:
    needs_utf8 = not (sender + recipient).isascii()
    letter = EmailMessage(policy=SMTPUTF8 if needs_utf8 else SMTP)
    letter["From"] = _line(sender)
    letter["To"] = _line(recipient)
    letter["Subject"] = _line(subject)
    letter["Date"] = format_datetime(at)
    letter["Message-ID"] = make_msgid(domain=_domain(sender.rstrip("> ")))
    letter.set_content(text, cte=None if text.isascii() else "quoted-printable")
    return letter
