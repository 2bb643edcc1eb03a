"""Parsing a message in full with the standard library alone, as a measure to compare with."""

import email
from email.header import decode_header, make_header
from email.message import EmailMessage, Message
from email.policy import default
from email.utils import getaddresses
from html.parser import HTMLParser

__all__ = ["fastest_parse", "modern_parse"]

ADDRESS_FIELDS = ("From", "To", "Cc")


class _Text(HTMLParser):
    """The text of HTML, scripts and styles left out."""

    def __init__(self) -> None:
        super().__init__()
        self.pieces: list[str] = []
        self._unseen = 0

    def handle_starttag(self, tag: str, _attributes: list[tuple[str, str | None]]) -> None:
        self._unseen += tag in ("script", "style")

    def handle_endtag(self, tag: str) -> None:
        self._unseen -= tag in ("script", "style")

    def handle_data(self, text: str) -> None:
        if not self._unseen:
            self.pieces.append(text)


def _html_text(html: str) -> str:
    reader = _Text()
    reader.feed(html)
    return " ".join(reader.pieces)


def _decoded(value: str) -> str:
    return str(make_header(decode_header(value))) if "=?" in value else value


def fastest_parse(octets: bytes) -> tuple[str, list[tuple[str, str]], str]:
    """Subject, people and text with ``compat32``, the fastest way the standard library has."""
    message: Message = email.message_from_bytes(octets)
    subject = _decoded(message.get("Subject", ""))
    fields = [str(value) for name in ADDRESS_FIELDS for value in message.get_all(name, [])]
    people = [(_decoded(name), address) for name, address in getaddresses(fields)]
    texts = []
    for part in message.walk():
        kind = part.get_content_type()
        if kind not in ("text/plain", "text/html") or part.get_filename():
            continue
        payload = part.get_payload(decode=True)
        text = bytes(payload).decode(part.get_content_charset() or "utf-8", "replace")
        texts.append(_html_text(text) if kind == "text/html" else text)
    return subject, people, "\n".join(texts)


def modern_parse(octets: bytes) -> tuple[str, list[tuple[str, str]], str]:
    """The same with ``policy.default``, which reads every header by its grammar."""
    message = email.message_from_bytes(octets, policy=default)
    assert isinstance(message, EmailMessage)
    subject = str(message.get("Subject", ""))
    people = [
        (address.display_name, address.addr_spec)
        for name in ADDRESS_FIELDS
        for value in message.get_all(name, [])
        for address in value.addresses
    ]
    texts = []
    for part in message.walk():
        kind = part.get_content_type()
        if kind not in ("text/plain", "text/html") or part.get_filename():
            continue
        text = part.get_content()
        texts.append(_html_text(text) if kind == "text/html" else text)
    return subject, people, "\n".join(texts)
