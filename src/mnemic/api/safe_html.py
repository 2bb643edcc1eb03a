"""HTML of a message made safe to show: no scripts, no forms, nothing loaded from elsewhere."""

import base64
from collections.abc import Callable
from dataclasses import dataclass

import nh3

from mnemic.core import ParsedMessage
from mnemic.core.mime_parts import payload_octets

__all__ = ["SAFE_HTML_POLICY", "SafeHtml", "safe_html"]

#: For the frame that shows it: even what slipped through could load and run nothing.
SAFE_HTML_POLICY = (
    "default-src 'none'; style-src 'unsafe-inline'; img-src data:; "
    "sandbox allow-popups allow-popups-to-escape-sandbox; frame-ancestors 'self'"
)

#: Embedded pictures beyond this many octets are left out: each is sent inside the page.
_PICTURE_LIMIT = 5_000_000

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
    found: dict[str, str] = {}
    for leaf in message.leaves:
        part = leaf.part
        content_id = str(part.get("content-id") or "").strip().strip("<>")
        octets = payload_octets(part)
        is_picture = leaf.media_type.startswith("image/") and "svg" not in leaf.media_type
        if content_id and is_picture and len(octets) < _PICTURE_LIMIT:
            encoded = base64.b64encode(octets).decode("ascii")
            found[content_id] = f"data:{leaf.media_type};base64,{encoded}"
    return found


def _attribute_filter(
    pictures: dict[str, str], remote: list[str]
) -> Callable[[str, str, str], str | None]:
    def keep(element: str, attribute: str, value: str) -> str | None:
        if (element, attribute) == ("img", "src"):  # elements that go anyway pass here, too
            if value.startswith("cid:"):
                return pictures.get(value[4:])
            if not value.startswith("data:image/"):
                remote.append(value)
                return None
        elif value.lstrip().lower().startswith(("data:", "cid:")):
            return None
        return value

    return keep


def safe_html(message: ParsedMessage) -> SafeHtml | None:
    """The message's HTML made safe, or None where it has none."""
    if message.html is None:
        return None
    remote: list[str] = []
    clean = nh3.clean(
        message.html,
        tags=nh3.ALLOWED_TAGS | {"font"},
        attributes=_ATTRIBUTES,
        attribute_filter=_attribute_filter(_embedded_pictures(message), remote),
        url_schemes={"http", "https", "mailto", "data", "cid"},
        link_rel="noopener noreferrer",
        set_tag_attribute_values={"a": {"target": "_blank"}},
        filter_style_properties=_STYLES,
    )
    return SafeHtml(f"{_PAGE}{clean}</body></html>", tuple(remote))
