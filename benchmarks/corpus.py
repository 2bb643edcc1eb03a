"""Mail for measuring large mailboxes: 8.5 KB a message, long-tailed words of four languages.

What somebody in an office gets: 20,000 senders, of whom few write most of it; words by Zipf’s law,
so that most of them are rare; HTML beside text, lists, attachments now and then. It is made up, and
the same for the same numbers: message n is the same in a mailbox of any size.
"""

import base64
from collections.abc import Iterator
from dataclasses import dataclass
from email.header import Header
from functools import cache
from quopri import encodestring
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

__all__ = ["LANGUAGES", "SENDERS", "corpus", "word"]

SENDERS, DOMAINS, ALIASES, LISTS = 20_000, 4_000, 24, 600
#: Different words of a language, and how steeply they become rarer (common practice: about one).
WORDS, STEEPNESS = 30_000, 1.05

#: Beginnings and ends of the syllables that a language’s words are made of.
LANGUAGES = {
    "en": ("b c d f g h k l m n p r s t w y st th ch br", "a e i o u ay ea er in on ost ing ell y"),
    "de": ("b d f g h k l m n pf r sch s t w z st br gl", "a e i o u ä ö ü ei au en ung icht er"),
    "fr": ("b ç d f g h j l m n p qu r s t v ch gn pl", "a e i o u é è à ê ou eau on in eur œ"),
    "el": ("β γ δ ζ θ κ λ μ ν ξ π ρ σ τ φ χ ψ στ πρ", "α ε η ι ο υ ω ά έ ή ί ου ει ας ος"),
}
_CHARSETS = {"en": "us-ascii", "de": "iso-8859-1", "fr": "utf-8", "el": "utf-8"}
_SHARES = (0.55, 0.2, 0.15, 0.1)

_STYLE = (
    "<style>table{border-collapse:collapse}td{font:14px/1.5 sans-serif;color:#333;padding:0 12px}"
    "a{color:#264}p{margin:0 0 12px}.foot{font-size:11px;color:#777}</style>"
)
_CELL = "padding:0 12px 8px;font-family:Helvetica,Arial,sans-serif;font-size:14px;color:#333333"
_LINK = "color:#226644;text-decoration:none;border-bottom:1px solid #226644"
Draw: TypeAlias = np.random.Generator


@cache
def _words(language: str) -> tuple[str, ...]:
    """The words of a language, the most frequent first; the frequent ones are short."""
    draw = np.random.default_rng(sum(map(ord, language)))
    begins, ends = (pieces.split() for pieces in LANGUAGES[language])
    syllables = [begin + end for begin in begins for end in ends]
    words = dict[str, None]()
    while len(words) < WORDS:
        length = 1 + int(np.log10(1 + len(words) / 20)) + int(draw.integers(0, 2))
        chosen = draw.integers(0, len(syllables), size=length)
        words["".join(syllables[at] for at in chosen)] = None
    return tuple(words)


def word(language: str, rank: int) -> str:
    """The word of a language with this rank, the most frequent being 0."""
    return _words(language)[rank]


@cache
def _steps(count: int, steepness: float) -> NDArray[np.float64]:
    """The shares of the first, of the first two… of things of which few are frequent."""
    shares = 1 / np.arange(1, count + 1) ** steepness
    steps: NDArray[np.float64] = np.cumsum(shares) / shares.sum()
    return steps


def _ranks(draw: Draw, count: int, steepness: float, size: int) -> list[int]:
    drawn = np.searchsorted(_steps(count, steepness), draw.random(size))
    return [int(rank) for rank in drawn]


def _text(draw: Draw, language: str, length: int) -> str:
    words = _words(language)
    said = [words[rank] for rank in _ranks(draw, WORDS, STEEPNESS, length)]
    lines, at = [], 0
    while at < length:
        size = int(draw.integers(8, 14))
        lines.append(" ".join(said[at : at + size]))
        at += size
        if draw.random() < 0.15:
            lines.append("")
    return "\n".join(lines) + "\n"


@dataclass(frozen=True)
class _Part:
    kind: str
    encoding: str
    content: bytes

    def lines(self) -> bytes:
        head = f"Content-Type: {self.kind}\nContent-Transfer-Encoding: {self.encoding}\n\n"
        return head.encode() + self.content


def _written(text: str, kind: str, language: str) -> _Part:
    """A text in the encoding that its language is usually sent in."""
    charset = _CHARSETS[language]
    octets = text.encode(charset, "replace")
    encoding = {"us-ascii": "7bit", "iso-8859-1": "quoted-printable"}.get(charset, "base64")
    if encoding == "quoted-printable":
        octets = encodestring(octets)
    elif encoding == "base64":
        octets = base64.encodebytes(octets)
    return _Part(f"{kind}; charset={charset}", encoding, octets)


def _html(text: str, number: int) -> str:
    # As letters with markup are: a cell a line, its style with it, a link that is counted.
    paragraphs = "".join(
        f'<tr><td align="left" style="{_CELL}"><a href="https://news{number % 900}.example/c/'
        f'{number * 7919 + at:x}?u={at}" style="{_LINK}">§</a> {line}</td></tr>\n'
        for at, line in enumerate(text.splitlines())
    )
    foot = f'<td class="foot">{number} · <a href="https://news.example/off">off</a></td>'
    return f"<html><head>{_STYLE}</head><body><table>{paragraphs}<tr>{foot}</tr></table></body></html>\n"


def _attachment(draw: Draw, number: int) -> _Part:
    octets = base64.encodebytes(draw.bytes(int(draw.integers(6_000, 44_000))))
    name = f"{word('en', int(draw.integers(200, 3_000)))}-{number}.{('pdf', 'xlsx', 'zip')[number % 3]}"
    kind = ("application/pdf", "application/vnd.ms-excel", "application/zip")[number % 3]
    return _Part(
        f'{kind}; name="{name}"\nContent-Disposition: attachment; filename="{name}"',
        "base64",
        octets,
    )


def _joined(kind: str, parts: list[_Part], number: int) -> _Part:
    if len(parts) == 1:
        return parts[0]
    mark = f"=_{kind}_{number:x}"
    between = b"".join(b"--" + mark.encode() + b"\n" + part.lines() + b"\n" for part in parts)
    end = b"--" + mark.encode() + b"--\n"
    return _Part(f'multipart/{kind}; boundary="{mark}"', "8bit", between + end)


def _signature(draw: Draw, domain: str) -> str:
    made = base64.b64encode(draw.bytes(256)).decode()
    folded = "\n\t".join(made[at : at + 72] for at in range(0, len(made), 72))
    return (
        f"DKIM-Signature: v=1; a=rsa-sha256; c=relaxed/relaxed; d={domain}; s=s1;\n"
        f"\th=from:to:subject:date:message-id; bh={made[:43]}=;\n\tb={folded}"
    )


def _header(draw: Draw, number: int, language: str) -> list[str]:
    (sender,), (alias,) = (_ranks(draw, size, 0.9, 1) for size in (SENDERS, ALIASES))
    name = " ".join(word(language, 300 + (sender * step) % 9_000).title() for step in (1, 7))
    domain = f"{word('en', 500 + sender % DOMAINS)}.example"
    day, hour, minute = 1 + number // 7 % 28, number % 24, number * 7 % 60
    date = f"{day} {('Jan', 'Feb', 'Mar', 'Apr')[number % 4]} 2026 {hour:02}:{minute:02}:00 +0000"
    subject = " ".join(word(language, rank) for rank in _ranks(draw, WORDS, STEEPNESS, 6))
    to = f"{word('en', 40 + alias)}@office.example"
    hops = [
        f"Received: from mx{at}.{domain} (mx{at}.{domain} [192.0.2.{number % 250}])\n"
        f"\tby in{at}.office.example with ESMTPS id {number:x}{at}\n\tfor <{to}>; {date}"
        for at in range(3)
    ]
    listed = int(draw.integers(0, LISTS * 6))
    lists = [f"List-Id: <{word('en', 90 + listed)}.lists.example>", "Precedence: list"]
    return [
        *hops,
        _signature(draw, domain),
        f"Message-ID: <{number:x}.{sender}@{domain}>",
        f"Date: {date}",
        f"From: {Header(name, 'utf-8').encode() if language != 'en' else name} <{word(language, 300 + sender % 9_000).encode('ascii', 'ignore').decode() or 'x'}{sender}@{domain}>",
        f"To: <{to}>",
        f"Subject: {Header(subject, 'utf-8').encode() if language != 'en' else subject}",
        *(lists if listed < LISTS else []),
        "MIME-Version: 1.0",
    ]


def _message(number: int) -> bytes:
    draw = np.random.default_rng(number)
    language = str(draw.choice(list(LANGUAGES), p=_SHARES))
    text = _text(draw, language, min(2_000, int(draw.lognormal(4.8, 0.8))))
    parts = [_written(text, "text/plain", language)]
    if draw.random() < 0.45:
        parts.append(_written(_html(text, number), "text/html", language))
    content = [_joined("alternative", parts, number)]
    if draw.random() < 0.06:
        content.append(_attachment(draw, number))
    head = "\n".join(_header(draw, number, language)).encode() + b"\n"
    return head + _joined("mixed", content, number).lines()


def corpus(count: int, first: int = 0) -> Iterator[bytes]:
    """So many messages, from the one with this number on, with LF as line end."""
    return map(_message, range(first, first + count))
