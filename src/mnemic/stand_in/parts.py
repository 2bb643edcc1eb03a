"""Messages and their MIME parts as Twisted's writers of ENVELOPE and BODYSTRUCTURE want them."""

import email
import io
import re
from email import policy
from email.message import Message

from twisted.mail import imap4
from zope.interface import implementer

__all__ = ["Part", "header_of", "parsed"]

_GAP = re.compile(rb"\r?\n\r?\n")


def header_of(octets: bytes) -> bytes:
    """The header of a message, with the empty line behind it."""
    gap = _GAP.search(octets)
    return octets[: gap.end()] if gap else octets


@implementer(imap4.IMessagePart)
class Part:
    """A message, or a part of one."""

    def __init__(self, message: Message, octets: bytes | None = None) -> None:
        """``octets`` are those of a whole message."""
        self._message, self._octets = message, octets

    def getHeaders(self, negate: bool, *names: str | bytes) -> dict[str, str]:
        """Some fields of the header, or all but those."""
        wanted = {
            name.decode("ascii", "replace").lower() if isinstance(name, bytes) else name.lower()
            for name in names
        }
        fields: dict[str, str] = {}
        for name, value in self._message.items():
            if (name.lower() in wanted) is not bool(negate):
                line = str(value).replace("\r\n", "").replace("\n", "")
                fields.setdefault(name.lower(), line)
        return fields

    def whole(self) -> bytes:
        """The octets, header and body."""
        if self._octets is not None:
            return self._octets
        return self._message.as_bytes(policy=policy.SMTP)

    def body(self) -> bytes:
        """The octets of the body."""
        payload = self._message.get_payload()
        if self._octets is None and isinstance(payload, str):
            return payload.encode("ascii", "surrogateescape")
        whole = self.whole()
        return whole[len(header_of(whole)) :]

    def getBodyFile(self) -> io.BytesIO:
        """The body as a file."""
        return io.BytesIO(self.body())

    def getSize(self) -> int:
        """How many octets the body has; of a whole message all of it."""
        return len(self.body() if self._octets is None else self._octets)

    def isMultipart(self) -> bool:
        """Whether it has parts."""
        return self._message.is_multipart()

    def getSubPart(self, part: int) -> "Part":
        """One of its parts, from 0 on. Raises IndexError where it has fewer."""
        parts = self._message.get_payload()
        if not isinstance(parts, list) or not isinstance(inner := parts[part], Message):
            raise IndexError(part)
        return Part(inner)


def parsed(octets: bytes) -> Part:
    """A whole message."""
    return Part(email.message_from_bytes(octets, policy=policy.compat32), octets)
