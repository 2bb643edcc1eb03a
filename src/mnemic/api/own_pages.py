"""Who may ask: this computer's own browser alone, told by the header of a request.

The door asks before a body is read, and the application asks again, whatever door it came by.
"""

from collections.abc import Callable
from dataclasses import dataclass

__all__ = ["BODY_LIMIT", "UPLOAD_LIMIT", "Refusal", "body_limit", "own_hosts", "refusal"]

#: The largest upload in octets: an mbox of many years. It goes to the disk, never to memory.
UPLOAD_LIMIT = 16 * 1024**3

#: Octets of any other request's body.
BODY_LIMIT = 32 * 1024 * 1024

_UPLOADS = "/api/imports"
_EVENTS = "/api/events"
_CHANGING = frozenset({"POST", "PUT", "PATCH", "DELETE"})

#: What a browser says of who asks (Fetch Metadata, W3C working draft, section 2; from memory).
_OURS = frozenset({"same-origin", "none"})

Header = Callable[[str], str | None]


@dataclass(frozen=True, slots=True)
class Refusal:
    """Why a request is not answered."""

    status: int
    title: str
    detail: str


def own_hosts(port: int) -> frozenset[str]:
    """The names by which this server is asked for."""
    names = ("127.0.0.1", "localhost", "[::1]")
    return frozenset(names) if port == 80 else frozenset(f"{name}:{port}" for name in names)


def body_limit(method: str, path: str) -> int:
    """Octets that the body of such a request may have."""
    return UPLOAD_LIMIT if (method, path) == ("POST", _UPLOADS) else BODY_LIMIT


def refusal(method: str, path: str, header: Header, hosts: frozenset[str]) -> Refusal | None:
    """Why such a request is refused; None where it is not.

    ``header`` gives a header field's value by its name, or None.
    """
    # A page of another site can point a name of its own at 127.0.0.1 and then read answers;
    # the Host it sends still is that name.
    host = header("Host") or ""
    if host not in hosts:
        return Refusal(421, "Misdirected request", "This server answers as itself alone.")
    origin = header("Origin")
    foreign = origin is not None and origin != f"http://{host}"
    if foreign and (method in _CHANGING or path == _EVENTS):
        detail = (
            "Changes are taken from Mnemic’s own pages alone, and events are told to them alone."
        )
        return Refusal(403, "Refused", detail)
    site = header("Sec-Fetch-Site")
    follows_link = method == "GET" and header("Sec-Fetch-Mode") == "navigate"
    if site is not None and site not in _OURS and not (follows_link and _is_page(path)):
        return Refusal(403, "Refused", "Another site’s page asked for this; it gets no answer.")
    length = header("Content-Length")
    if length and length.isdecimal() and _exceeds(length, body_limit(method, path)):
        return Refusal(
            413, "Too large", f"Here at most {body_limit(method, path):,} octets are taken."
        )
    return None


def _exceeds(length: str, limit: int) -> bool:
    digits = length.lstrip("0")
    return len(digits) > len(str(limit)) or int(digits or "0") > limit


def _is_page(path: str) -> bool:
    return not path.startswith(("/api/", "/openapi"))
