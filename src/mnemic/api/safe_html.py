"""HTML of a message made safe to show: no scripts, no forms, nothing loaded from elsewhere."""

import base64
import threading
from collections import OrderedDict
from dataclasses import dataclass
from html import escape

import nh3

from mnemic.core import ParsedMessage
from mnemic.core.bounds import MOST_HTML
from mnemic.core.message.html_bounds import bounded_html
from mnemic.core.message.html_text import text_without_tags
from mnemic.core.message.mime_parts import payload_octets

__all__ = ["SAFE_HTML_POLICY", "SafeHtml", "SafePages", "safe_html"]

#: For the frame that shows it: even what slipped through could load and run nothing.
SAFE_HTML_POLICY = (
    "default-src 'none'; style-src 'unsafe-inline'; img-src data:; "
    "sandbox allow-popups allow-popups-to-escape-sandbox; frame-ancestors 'self'"
)

#: Embedded pictures beyond this many octets are left out: each is sent inside the page.
_PICTURE_LIMIT = 5_000_000

#: Characters that cleaning may add, to close what was left open and to make links safe.
_MOST_ADDED = 4 * MOST_HTML

#: Characters of embedded pictures of a page: one may be asked for many times.
_PICTURES_LIMIT = 40_000_000

#: Pages that are kept, at most some megabytes each.
_PAGES_KEPT = 2

_STYLES = {
    "background-color", "border", "border-bottom", "border-collapse", "border-left", "border-right",
    "border-top", "color", "font-family", "font-size", "font-style", "font-weight", "height",
    "line-height", "margin", "max-width", "padding", "text-align", "text-decoration",
    "vertical-align", "width",
}  # fmt: skip
_ATTRIBUTES = {
    **nh3.ALLOWED_ATTRIBUTES,
    "*": {"style", "align", "valign", "bgcolor", "dir", "lang", "title"},
    "img": {"src", "alt", "width", "height"},
}
_PAGE = (
    '<!doctype html><html><head><meta charset="utf-8"><style>'
    "body{font:16px/1.55 Georgia,serif;color:#1f2b27;margin:0;overflow-wrap:anywhere}"
    "img{max-width:100%;height:auto}table{max-width:100%}a{color:#1e5b4f}"
    "</style></head><body>"
)


@dataclass(frozen=True, slots=True)
class SafeHtml:
    """A whole page that is safe to show, and the pictures from elsewhere that it does without."""

    page: str
    remote_pictures: tuple[str, ...]


def _embedded_pictures(message: ParsedMessage) -> dict[str, str]:
    """Pictures that came with the message, as data: addresses by Content-ID (RFC 2392)."""
    pictures: dict[str, str] = {}
    for leaf in message.leaves:
        part = leaf.part
        content_id = str(part.get("content-id") or "").strip().strip("<>")
        octets = payload_octets(part)
        is_picture = leaf.media_type.startswith("image/") and "svg" not in leaf.media_type
        if content_id and is_picture and len(octets) < _PICTURE_LIMIT:
            encoded = base64.b64encode(octets).decode("ascii")
            pictures[content_id] = f"data:{leaf.media_type};base64,{encoded}"
    return pictures


class _AttributeFilter:
    """Says what becomes of each attribute, and notes which pictures the page does without."""

    def __init__(self, pictures: dict[str, str]) -> None:
        self._pictures = pictures
        self.shown = 0  # characters of pictures put in
        self.remote: list[str] = []

    def __call__(self, element: str, attribute: str, value: str) -> str | None:
        """The value to keep, or None. Elements that go anyway pass here, too."""
        if (element, attribute) == ("img", "src"):
            if value.startswith("cid:"):
                return self._picture(value[4:])
            if not value.startswith("data:image/"):
                self.remote.append(value)
                return None
        elif value.lstrip().lower().startswith(("data:", "cid:")):
            return None
        return value

    def _picture(self, content_id: str) -> str | None:
        picture = self._pictures.get(content_id)
        if picture is None or self.shown + len(picture) > _PICTURES_LIMIT:
            return None
        self.shown += len(picture)
        return picture


def safe_html(message: ParsedMessage) -> SafeHtml | None:
    """The message's HTML made safe, or None where it has none."""
    if message.html is None:
        return None
    bounded = bounded_html(message.html)
    if bounded.tangled:
        return SafeHtml(_as_text(bounded.html), ())
    keep = _AttributeFilter(_embedded_pictures(message))
    clean = nh3.clean(
        bounded.html,
        tags=nh3.ALLOWED_TAGS | {"font"},
        attributes=_ATTRIBUTES,
        attribute_filter=keep,
        url_schemes={"http", "https", "mailto", "data", "cid"},
        link_rel="noopener noreferrer",
        set_tag_attribute_values={"a": {"target": "_blank"}},
        filter_style_properties=_STYLES,
    )
    if len(clean) > len(bounded.html) + keep.shown + _MOST_ADDED:
        return SafeHtml(_as_text(bounded.html), ())
    return SafeHtml(f"{_PAGE}{clean}</body></html>", tuple(dict.fromkeys(keep.remote)))


def _as_text(html: str) -> str:
    """A page of the text alone, where HTML is too tangled to be shown."""
    lines = text_without_tags(html).splitlines()
    text = escape("\n".join(filter(str.strip, lines)), quote=False)
    return f'{_PAGE}<div style="white-space:pre-wrap">{text}</div></body></html>'


class SafePages:
    """The pages of the messages that were opened last: opening one asks for its page twice."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._pages: OrderedDict[int, SafeHtml | None] = OrderedDict()

    def of(self, message_id: int, message: ParsedMessage) -> SafeHtml | None:
        """The page of a message; its octets never change, and no other has its id."""
        with self._lock:
            if message_id in self._pages:
                return self._pages[message_id]
        pictures = safe_html(message)
        with self._lock:
            self._pages[message_id] = pictures
            while len(self._pages) > _PAGES_KEPT:
                self._pages.popitem(last=False)
        return pictures
