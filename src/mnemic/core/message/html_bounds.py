"""HTML held within bounds before anything is made of it.

Parsers of HTML repair what is misnested, and repeat elements while they do: 60 KB may become
66 MB. What goes beyond the limits of ``mnemic.core.bounds`` is cut, or read as text with its tags
taken away, before a parser sees it.
"""

import re
from dataclasses import dataclass

from mnemic.core.bounds import (
    MOST_ATTRIBUTES,
    MOST_ENTITIES,
    MOST_HTML,
    MOST_HTML_DEEP,
    MOST_REPEATED,
    MOST_TAGS,
)

__all__ = ["TAG", "BoundedHtml", "bounded_html"]


@dataclass(frozen=True, slots=True)
class BoundedHtml:
    """HTML as far as it is looked into; ``tangled``: its tags are to be taken away, not parsed.

    ``note`` says what limit was met, or is empty.
    """

    html: str
    tangled: bool = False
    note: str = ""


#: Below so many tags nothing that they do to each other takes long.
_FEW = 500

#: A picture that came inside the HTML (RFC 2397): long, and nothing to look into.
_PICTURE = re.compile(r"data:image/[a-z0-9.+-]{1,40};base64,[A-Za-z0-9+/=\s]{1000,}", re.IGNORECASE)

#: A tag as a browser reads it (13.2.5): a quote counts behind an equals sign alone.
#: One that never ends reaches to the end, so that nothing is looked at twice. What no tag can begin
#: with is told first, here and below: a million of them would hold up everybody.
TAG = re.compile(
    r"""<(?=[/a-zA-Z])(/?)([a-zA-Z][^\s/>]*+)((?:[^>=]++|=\s*+(?:"[^"]*"|'[^']*'|[^\s>"'][^\s>]*+)?)*+)(?:>|\Z)"""
)
_ATTRIBUTE = re.compile(r"[\s/\"'][^\s/\"'=]")

# What holds no tags: comments of every kind, and elements whose content is text (13.2.5.1 to 5).
_NO_TAGS = re.compile(
    r"<(?=[!?/a-z])(?:!--(?:-?>|.*?(?:--!?>|\Z))|(?:[!?]|/(?![a-z]))[^>]*(?:>|\Z)"
    r"|(script|style|title|textarea|xmp|iframe|noembed|noframes)\b[^>]*(?:>|\Z).*?(?=</\1\b|\Z))",
    re.IGNORECASE | re.DOTALL,
)
# Inside of these other rules hold (13.2.6.5): nothing is void, nothing ends another.
_FOREIGN = ("svg", "math")

#: Elements without content (HTML Living Standard, from memory as all here: section 13.1.2).
_VOID = frozenset("area base br col embed hr img input link meta param source track wbr".split())

#: Elements that the beginning of another ends (section 13.1.2.4): by which, what stands open.
_ENDED_BY = {
    "p": frozenset({"p"}),
    "li": frozenset({"li", "p"}),
    "dd": frozenset({"dd", "dt", "p"}),
    "dt": frozenset({"dd", "dt", "p"}),
    "td": frozenset({"td", "th", "p"}),
    "th": frozenset({"td", "th", "p"}),
    "tr": frozenset({"td", "th", "tr", "p"}),
    "option": frozenset({"option"}),
}

#: Formatting elements: closed by another's end they begin anew in what follows (13.2.4.3).
_FORMATTING = frozenset("a b big code em font i nobr s small strike strong tt u".split())

#: Ends of these close what stands open inside them (13.2.6.4.7), of others nothing but themselves.
_CLOSING = frozenset(
    """address article aside blockquote button caption center dd details dialog dir div dl dt
    fieldset figcaption figure footer h1 h2 h3 h4 h5 h6 header hgroup li listing main marquee menu
    nav object ol p pre search section select summary table tbody td template tfoot th thead tr
    ul""".split()
)

#: Ends do not reach out of these (13.2.4.2), but for their own and those of a table.
_SCOPES = frozenset("caption marquee object table td template th".split())
_OF_TABLES = frozenset("caption table tbody td template tfoot th thead tr".split())


class _Nesting:
    """Follows tags roughly as a parser would: how deep they are, and how much it repeats.

    Where it differs it takes them for deeper than they are.
    """

    def __init__(self) -> None:
        self.open: list[tuple[str, int]] = []  # name and length of the tag
        self.orphans: list[tuple[str, int]] = []
        self.repeating = self.repeated = 0  # characters

    def begin(self, name: str, length: int) -> None:
        self.repeated += self.repeating
        ended = _ENDED_BY.get(name, ())
        if (name in _VOID or ended) and not self._in_drawing():
            if name in _VOID:
                return
            while self.open and self.open[-1][0] in ended:
                self.open.pop()
        self.open.append((name, length))

    def _in_drawing(self) -> bool:
        return any(name in _FOREIGN for name, _ in self.open)

    def end(self, name: str) -> None:
        self._forget_orphan(name)
        at = self._begun(name)
        if at is None:
            return
        if name not in _CLOSING:
            del self.open[at]
            return
        for opened in self.open[at + 1 :]:
            if opened[0] in _FORMATTING:
                self.orphans.append(opened)
                self.repeating += opened[1]
        del self.open[at:]

    def _forget_orphan(self, name: str) -> None:
        for at in range(len(self.orphans) - 1, max(-1, len(self.orphans) - MOST_HTML_DEEP), -1):
            if self.orphans[at][0] == name:
                self.repeating -= self.orphans.pop(at)[1]
                return

    def _begun(self, name: str) -> int | None:
        """Where among what is open the element begins that this end tag ends, if it ends one."""
        for at in range(len(self.open) - 1, -1, -1):
            open_name = self.open[at][0]
            if open_name == name:
                return at
            ends_here = open_name in _SCOPES and name not in _OF_TABLES
            if ends_here or (name == "li" and open_name in ("ol", "ul")):
                return None
            if name not in _FORMATTING and name not in _CLOSING and open_name in _CLOSING:
                return None
        return None


def _tangle(html: str) -> str:
    """What would take a parser too long, in words; "" where nothing would."""
    nesting = _Nesting()
    for closing, name, rest in TAG.findall(html):
        if closing:
            nesting.end(name.lower())
            continue
        nesting.begin(name.lower(), len(name) + len(rest))
        if len(nesting.open) > MOST_HTML_DEEP:
            return f"HTML nested deeper than {MOST_HTML_DEEP} levels"
        if nesting.repeated > MOST_REPEATED:
            return "HTML with tangled elements"
    return ""


def _problem(html: str) -> str:
    if html.count("<") > MOST_TAGS:
        return f"HTML with more than {MOST_TAGS:,} tags"
    if html.count("&") > MOST_ENTITIES:
        return f"HTML with more than {MOST_ENTITIES:,} entities"
    if any(_has_many_attributes(rest) for _, _, rest in TAG.findall(html)):
        return f"HTML with more than {MOST_ATTRIBUTES} attributes of one element"
    if html.count("<") <= _FEW:
        return ""
    problem = _tangle(_NO_TAGS.sub("", html))
    lowered = html.lower()
    if not problem and any(f"<{name}" in lowered for name in _FOREIGN):
        # There what is text elsewhere holds elements: the deeper of both readings counts.
        return "HTML with tangled elements" if "<![cdata[" in lowered else _tangle(html)
    return problem


def _has_many_attributes(rest: str) -> bool:
    if len(rest) < 2 * MOST_ATTRIBUTES:
        return False
    return sum(1 for _ in _ATTRIBUTE.finditer(rest)) > MOST_ATTRIBUTES


def _end(html: str) -> int:
    """How far HTML is looked into; embedded pictures don't count."""
    if len(html) <= MOST_HTML:
        return len(html)
    counted, at = 0, 0
    for picture in _PICTURE.finditer(html):
        if counted + picture.start() - at > MOST_HTML:
            break
        counted += picture.start() - at
        at = picture.end()
    return min(len(html), at + MOST_HTML - counted)


def bounded_html(html: str) -> BoundedHtml:
    """HTML as far as it can be looked into in reasonable time."""
    end = _end(html)
    note = f"its HTML is looked into as far as character {end:,}" if end < len(html) else ""
    html = html[:end]
    if problem := _problem(html):
        read = f"{problem} is read with its tags taken away"
        return BoundedHtml(html, tangled=True, note=f"{note}; {read}" if note else read)
    return BoundedHtml(html, note=note)
