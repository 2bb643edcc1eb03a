"""HTML to the text that a reader sees."""

import re

from selectolax.lexbor import LexborHTMLParser, LexborNode

__all__ = ["charset_in_html", "html_to_text"]

#: Nothing inside these is shown. (``noscript`` is: a mail reader runs no scripts.)
_UNSEEN = ["head", "script", "style", "template", "title"]

#: Elements that stand in the line (HTML Living Standard, "phrasing content", from memory);
#: every other element sets what it holds apart from what stands beside it.
_INLINE = frozenset(
    """a abbr acronym b bdi bdo big cite code data del dfn em font i img ins kbd label mark nobr
    noscript q rp rt ruby s samp small span strike strong sub sup time tt u var wbr""".split()
)

_META_CHARSET = re.compile(
    rb"<meta[^>]{0,400}?charset\s*=\s*[\"']?\s*([A-Za-z0-9_.:-]{1,40})", re.I
)

#: A charset has to be declared early (HTML Living Standard: within the first 1,024 octets);
#: mail programs put more in front of it.
_META_WITHIN = 8_192


def charset_in_html(octets: bytes) -> str | None:
    """The charset that a ``<meta>`` element declares, or None."""
    match = _META_CHARSET.search(octets[:_META_WITHIN])
    return match[1].decode("ascii") if match else None


def _is_hidden(node: LexborNode) -> bool:
    attributes = node.attributes
    if "hidden" in attributes:
        return True
    style = attributes.get("style")
    return bool(style) and "display:none" in "".join((style or "").split()).lower()


def _stands_apart(node: LexborNode) -> bool:
    tag = node.tag or "-"
    return tag not in _INLINE and not tag.startswith("-")  # "-text", "-comment" and their like


def html_to_text(html: str) -> str:
    """The text a reader sees: entities decoded, blocks and cells apart, hidden parts left out.

    Inline elements join without a space (``in<b>voice</b>`` is one word).
    """
    tree = LexborHTMLParser(html)
    tree.strip_tags(_UNSEEN)
    for node in tree.css("[hidden], [style]"):
        if _is_hidden(node):
            node.decompose()
    root = tree.root
    if root is None:
        return ""
    pieces: list[str] = []
    _collect(root, pieces)
    return "".join(pieces).strip()


def _collect(root: LexborNode, pieces: list[str]) -> None:
    """Gather text in document order without recursion: nesting may be tens of thousands deep."""
    node: LexborNode | None = root
    while node is not None:
        if node.tag == "-text":
            pieces.append(node.text_content or "")
        elif _stands_apart(node):
            pieces.append("\n")
        below = node.child if node.tag != "-text" else None
        while below is None and node is not None:
            if _stands_apart(node):
                pieces.append("\n")
            if node == root or node.parent is None:
                return
            below = node.next
            if below is None:
                node = node.parent
        node = below
