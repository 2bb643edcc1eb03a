"""The seeded generator of the demo's mail: the same seed and time give the same octets."""

import random
import tomllib
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta
from email.message import EmailMessage
from email.policy import SMTP
from email.utils import format_datetime
from importlib.resources import files
from typing import Any

import idna

__all__ = ["DemoMessage", "generate", "office"]

_STREAMS = files("mnemic.demo").joinpath("streams.toml")

_SEED = 20_260_504
_DAYS = 120

#: Mail that was read or not by habit; what came in the last hours nobody has opened yet.
_UNOPENED = timedelta(hours=20)

#: Hours of the day with the weight of mail in each: an office's day.
_HOURS = [1, 1, 1, 1, 1, 2, 6, 12, 20, 22, 20, 18, 14, 15, 18, 17, 14, 9, 6, 4, 3, 3, 2, 1]

_POLICY = SMTP.clone(utf8=False)


@dataclass(frozen=True, slots=True)
class DemoMessage:
    """A message, when it came, for whom by its envelope, and whether it has been read."""

    octets: bytes
    received: datetime
    recipients: tuple[str, ...]
    seen: bool


class _Writer:
    """Writes messages of the streams, drawing from one random sequence."""

    def __init__(self, now: datetime, seed: int) -> None:
        self._random = random.Random(seed)
        self._now = now
        self._plan = office()
        self._number = 0

    def messages(self) -> list[DemoMessage]:
        """Every message, oldest first."""
        return sorted(
            (
                self._message(stream)
                for stream in self._plan["stream"]
                for _ in range(stream["count"])
            ),
            key=lambda message: message.received,
        )

    def _when(self) -> datetime:
        days = self._random.randrange(_DAYS)
        hour = self._random.choices(range(24), _HOURS)[0]
        moment = self._now - timedelta(days=days)
        moment = moment.replace(hour=hour, minute=self._random.randrange(60), second=0)
        return moment - timedelta(days=1) if moment > self._now else moment

    def _fill(self, template: str, sender: str = "") -> str:
        words = {
            name: self._random.choice(choices) for name, choices in self._plan["words"].items()
        }
        number = str(
            self._random.randrange(12, 60)
            if "child" in template or "élèves" in template
            else self._random.randrange(11, 9000)
        )
        return template.format(**words, n=number, sender=sender)

    def _people(self, who: str | list[str]) -> str:
        named: list[str] = self._plan[who] if isinstance(who, str) else who
        return self._random.choice(named)

    def _message(self, stream: dict[str, Any]) -> DemoMessage:
        received = self._when()
        if stream.get("paired"):
            which = self._random.randrange(len(stream["from"]))
            stream = stream | {key: [stream[key][which]] for key in ("from", "subjects", "bodies")}
        sender, to = self._people(stream["from"]), self._people(stream["to"])
        name = sender.partition("<")[0].strip(' "') or sender
        message = EmailMessage(policy=_POLICY)
        self._number += 1
        host = self._plan["office"]
        message["Received"] = (
            f"from relay.{host} by mx.{host} with ESMTP id {self._number:06};"
            f" {format_datetime(received)}"
        )
        message["Date"] = format_datetime(received - timedelta(seconds=self._random.randrange(90)))
        message["Message-ID"] = f"<{self._number}.{int(received.timestamp())}@mail.{host}>"
        message["From"] = _ascii_domain(sender)
        message["To"] = _ascii_domain(to) if stream["to"] == "people" else to
        if cc := self._random.choice(stream.get("cc", [""])):
            message["Cc"] = cc
        subject = self._random.choices(stream["subjects"], stream.get("weights"))[0]
        message["Subject"] = self._fill(subject)
        for header, value in stream.get("headers", {}).items():
            message[header] = value
        self._content(message, stream, name)
        recipients = (*_bare_addresses(to), *_bare_addresses(cc))
        seen = self._random.random() < stream["seen"] and self._now - received > _UNOPENED
        return DemoMessage(bytes(message), received, recipients, seen)

    def _content(self, message: EmailMessage, stream: dict[str, Any], name: str) -> None:
        if "html" in stream:
            message.set_content(self._fill(stream["html"]), subtype="html")
        else:
            body = self._fill(self._random.choice(stream["bodies"]), name)
            message.set_content(
                body,
                cte=self._random.choice(["quoted-printable", "base64"])
                if not body.isascii()
                else None,
            )
        special = stream.get("special")
        if special == "invitation":
            message.add_alternative(_CALENDAR, subtype="calendar", params={"method": "REQUEST"})
        elif special == "bounce":
            self._as_bounce(message)
        if attached := self._fill(self._random.choice(stream.get("attachments", [""]))):
            self._attach(message, attached)

    def _attach(self, message: EmailMessage, name: str) -> None:
        main, sub = {
            "pdf": ("application", "pdf"),
            "jpg": ("image", "jpeg"),
            "odt": ("application", "vnd.oasis.opendocument.text"),
        }[name.rpartition(".")[2]]
        octets = self._random.randbytes(self._random.randrange(2_000, 20_000))
        message.add_attachment(octets, maintype=main, subtype=sub, filename=name)

    def _as_bounce(self, message: EmailMessage) -> None:
        message.make_mixed()
        message.set_type("multipart/report")
        message.set_param("report-type", "delivery-status")
        fields = EmailMessage(policy=_POLICY)
        fields["Final-Recipient"] = "rfc822; berth@nowhere.example"
        fields["Status"] = "5.1.1"
        status = EmailMessage(policy=_POLICY)
        status["Content-Type"] = "message/delivery-status"
        status.set_payload([fields])
        message.attach(status)


_CALENDAR = (
    "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nMETHOD:REQUEST\r\nBEGIN:VEVENT\r\nUID:visit@wendle-lyde.example"
    "\r\nSUMMARY:Site visit\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
)


def _ascii_domain(sender: str) -> str:
    before, at, domain = sender.removesuffix(">").rpartition("@")
    return f"{before}{at}{idna.encode(domain).decode('ascii')}>"


def _bare_addresses(listed: str) -> Iterator[str]:
    for person in filter(None, (piece.strip() for piece in listed.split(","))):
        yield person.partition("<")[2].rstrip(">") or person


def office() -> dict[str, Any]:
    """Whose office it is: ``owner``, ``aliases``, ``people``, ``look_ins`` and ``by_hand``."""
    plan: dict[str, Any] = tomllib.loads(_STREAMS.read_text("utf-8"))
    return plan


def generate(now: datetime, *, seed: int = _SEED) -> list[DemoMessage]:
    """About 1,500 messages of the 120 days before ``now``, oldest first."""
    return _Writer(now, seed).messages()
