"""HTML to the text that a reader sees."""

import re
from html import unescape

from selectolax.lexbor import LexborHTMLParser, LexborNode

from mnemic.core.message.html_bounds import TAG, BoundedHtml, bounded_html

__all__ = ["charset_in_html", "html_to_text", "text_of_html", "text_without_tags"]

#: Nothing inside these is shown. (``noscript`` is: a mail reader runs no scripts.)
_UNSEEN = frozenset({"script", "style", "template", "title"})

#: Elements that set what they hold apart from what stands beside it: blocks, list items, table
#: parts, form pieces, line breaks (HTML Living Standard, section 15, from memory). Every other
#: element, an unknown one too, stands in the line.
_APART = frozenset(
    """address article aside audio blockquote body br button canvas caption center col colgroup dd
    details dialog dir div dl dt embed fieldset figcaption figure footer form frame frameset h1 h2
    h3 h4 h5 h6 head header hgroup hr html iframe input legend li link listing main menu meta nav
    object ol optgroup option p plaintext pre progress search section select summary table tbody td
    textarea tfoot th thead tr ul video xmp""".split()
)

#: Elements in the line that hold nothing; taken away, they leave one text.
_EMPTY_INLINE = frozenset({"img", "wbr"})

_TAG_NAME = re.compile(r"<([a-z][^\s/<>]*)")

_META_CHARSET = re.compile(
    rb"<meta[^>]{0,400}?charset\s*+=\s*+[\"']?\s*+([A-Za-z0-9_.:-]{1,40})", re.I
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


#: If there are so many tags, walking the tree takes no longer than unwrapping inline elements.
_MANY = 1_000

_UNSEEN_ELEMENT = re.compile(
    r"<(?=[!st])(?:(script|style|template|title)\b.*?(?:</\1\s*>|\Z)"
    r"|!--.*?(?:-->|\Z)|![^>]*(?:>|\Z))",
    re.IGNORECASE | re.DOTALL,
)
#: A number that no character has; the library can't read one of thousands of digits.
_HUGE_NUMBER = re.compile(r"&#(?:0*+[0-9]{8,}|[xX]0*+[0-9a-fA-F]{7,});?")


def text_without_tags(html: str) -> str:
    """The text of HTML that can't be parsed in reasonable time: its tags are taken away."""
    html = _UNSEEN_ELEMENT.sub("", html)
    html = TAG.sub(lambda tag: "" if tag[2].lower() not in _APART else "\n", html)
    return unescape(_HUGE_NUMBER.sub("\ufffd", html)).strip()


def _stands_apart(node: LexborNode) -> bool:
    tag = node.tag
    return tag in _APART


def html_to_text(html: str) -> str:
    """The text a reader sees: entities decoded, blocks and cells apart, hidden parts left out.

    Inline elements join without a space (``in<b>voice</b>`` is one word).
    """
    return text_of_html(bounded_html(html))


def text_of_html(bounded: BoundedHtml) -> str:
    """The text a reader sees of HTML that was held within bounds."""
    return text_without_tags(bounded.html) if bounded.tangled else _parsed(bounded.html)


def _parsed(html: str) -> str:
    lowered = html.lower()
    present = set(_TAG_NAME.findall(lowered))
    tree = LexborHTMLParser(html)
    if unseen := present & _UNSEEN:
        tree.strip_tags(list(unseen))
    if "hidden" in lowered or "display" in lowered:
        for node in tree.css("[hidden], [style]"):
            if _is_hidden(node):
                node.decompose()
    root = tree.body or tree.root
    if root is None:
        return ""
    # Comments keep texts apart in the tree, and unwrapping takes long where much is nested.
    # Names of other alphabets than HTML's own can't be asked for.
    asked = all(name.isalnum() for name in present)
    plain = asked and "<!" not in html and html.count("<") < _MANY
    return _joined(tree, root, present) if plain else _collected(root)


def _joined(tree: LexborHTMLParser, root: LexborNode, present: set[str]) -> str:
    """The text of a tree in which nothing but inline elements stands between texts of a line.

    Three calls into the parser's library, many times faster than walking the tree from here.
    """
    if empty := present & _EMPTY_INLINE:
        tree.strip_tags(list(empty))
    if inline := present - _APART - _EMPTY_INLINE:
        root.unwrap_tags(list(inline), delete_empty=True)
    root.merge_text_nodes()
    return root.text(separator="\n").strip()


def _collected(root: LexborNode) -> str:
    """The text of any tree, comments and declarations in it, too."""
    pieces: list[str] = []
    _collect(root, pieces)
    return "".join(pieces).strip()


def _collect(root: LexborNode, pieces: list[str]) -> None:
    """Gather text in document order without recursion: nesting may be tens of thousands deep."""
    node: LexborNode | None = root
    end = root.mem_id  # nodes compare by their whole HTML, which takes long
    while node is not None:
        if node.tag == "-text":
            pieces.append(node.text_content or "")
        elif _stands_apart(node):
            pieces.append("\n")
        below = node.child if node.tag != "-text" else None
        while below is None and node is not None:
            if _stands_apart(node):
                pieces.append("\n")
            if node.mem_id == end or node.parent is None:
                return
            below = node.next
            if below is None:
                node = node.parent
        node = below
