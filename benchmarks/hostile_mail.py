"""Mail made to cost much: shapes of a given size, each the worst of its kind.

What a stranger may send, from memory of how parsers fail; each grows with its size in octets.
"""

from collections.abc import Callable

__all__ = ["SHAPES"]

_HTML = b"Subject: x\nFrom: a@b.example\nContent-Type: text/html; charset=utf-8\n\n"
_PLAIN = b"Subject: x\nFrom: a@b.example\nContent-Type: text/plain; charset=utf-8\n\n"


def _repeat(piece: bytes, octets: int) -> bytes:
    return piece * (octets // len(piece))


def _html(piece: str | bytes) -> Callable[[int], bytes]:
    octets = piece.encode() if isinstance(piece, str) else piece
    return lambda size: _HTML + _repeat(octets, size)


def _plain(piece: str) -> Callable[[int], bytes]:
    return lambda size: _PLAIN + _repeat(piece.encode(), size)


def _field(head: bytes, piece: bytes, tail: bytes = b"") -> Callable[[int], bytes]:
    return lambda size: head + _repeat(piece, size) + tail + b"\n\nbody\n"


def _numbered(head: bytes, pattern: bytes, tail: bytes = b"") -> Callable[[int], bytes]:
    def make(size: int) -> bytes:
        pieces, length, number = [head], 0, 0
        while length < size:
            pieces.append(pattern % number)
            length += len(pieces[-1])
            number += 1
        return b"".join([*pieces, tail])

    return make


def _many_parts(size: int) -> bytes:
    head = b"From: a@b.example\nContent-Type: multipart/mixed; boundary=b\n\n"
    return head + _repeat(b"--b\n\nx\n", size) + b"--b--\n"


def _named_parts(size: int) -> bytes:
    head = b"From: a@b.example\nContent-Type: multipart/mixed; boundary=b\n\n"
    part = b"--b\nContent-Type: application/pdf; name*0*=utf-8''a%20; name*1=b.pdf\n\nx\n"
    return head + _repeat(part, size) + b"--b--\n"


def _nested_parts(size: int) -> bytes:
    head = b"".join(
        b"Content-Type: multipart/mixed; boundary=b%d\n\n--b%d\n" % (n, n) for n in range(20)
    )
    return head + b"Content-Type: text/plain\n\n" + _repeat(b"--b19x\n", size)


def _parts_of_a_long_field(size: int) -> bytes:
    field = b"Content-Type: multipart/mixed; " + b"a=b; " * 20_000 + b"boundary=x\n\n"
    return field + _repeat(b"--x\n\na\n", size)


def _nested_messages(size: int) -> bytes:
    return _repeat(b"Content-Type: message/rfc822\n\n", size) + b"x"


def _short_lines(size: int) -> bytes:
    return _PLAIN + _repeat(b"a\n", size)


def _headers(size: int) -> bytes:
    return _repeat(b"a:\n", size) + b"\nbody"


def _received(size: int) -> bytes:
    return _repeat(b"Received: x; nonsense\n", size) + b"\nbody"


#: Name to what makes it, of about so many octets.
SHAPES: dict[str, Callable[[int], bytes]] = {
    "prose": _plain("the ferry leaves at nine from the old quay\n"),
    "tags that never end": lambda n: _HTML + b"<" * 1002 + b"<" + b"a" * n,
    "open brackets": _html("<"),
    "elements in elements": _html("<div>"),
    "inline in inline": _html("<b>"),
    "misnested elements": _html("<b><i><p></b></i>"),
    "misnested links": _html("<a href=x><table><tr><td>"),
    "formatting before tables": _html("<font color=red><table>"),
    "elements never nested that are": _html("<td><table>"),
    "list items in lists": _html("<li><ul>"),
    "options": _html("<select><option>"),
    "attributes": _numbered(_HTML + b"<p ", b"a%d=b ", b">x"),
    "styles": _html('<p style="color:red;width:1px;display:none">'),
    "one long style": lambda n: _HTML + b'<p style="' + _repeat(b"color:red;", n) + b'">x',
    "style elements": _html("<style>p{color:red}</style>"),
    "spaces as entities": _html("&nbsp;"),
    "ampersands as entities": _html("&amp;"),
    "a number without end": lambda n: _HTML + b"&#" + b"9" * n + b";",
    "entities without end": lambda n: _HTML + b"&" + b"a" * n,
    "comments": _html("<!---->x"),
    "a comment without end": lambda n: _HTML + b"<!--" + b"-" * n,
    "hidden elements": _html("<i hidden>x</i>"),
    "pictures": _html('<img src="https://x.example/a.png">'),
    "embedded pictures": _html('<img src="cid:a">'),
    "white space before a charset": lambda n: b"Content-Type: text/html\n\n" + _repeat(b"<meta charset ", n),
    "strange names": _html("<a\u0301b>x"),
    "svg": _html("<svg><g>"),
    "templates": _html("<template>"),
    "combining characters": _plain("\u0301"),
    "combining out of order": _plain("\u0315\u0300"),
    "combining in html": _html("\u0315\u0300"),
    "long expansions": _plain("\ufdfa"),
    "folding expansions": _plain("\u0390"),
    "hangul": _plain("\u1100\u1161\u11a8"),
    "hangul vowels": _plain("\u1161"),
    "ideographic spaces": _plain("\u3000"),
    "octets of no charset": lambda n: _PLAIN.replace(b"utf-8", b"nonsense") + _repeat(b"\xe4\xf6\xfc\xdf ", n),
    "utf-7": lambda n: _PLAIN.replace(b"utf-8", b"utf-7") + _repeat(b"+AGE-", n),
    "iso-2022": lambda n: _PLAIN.replace(b"utf-8", b"iso-2022-jp") + _repeat(b"\x1b$B!!\x1b(B", n),
    "quoted-printable": lambda n: _PLAIN[:-1] + b"Content-Transfer-Encoding: quoted-printable\n\n" + _repeat(b"=41", n),
    "soft line ends": lambda n: _PLAIN[:-1] + b"Content-Transfer-Encoding: quoted-printable\n\n" + _repeat(b"a=\n", n),
    "base64": lambda n: _PLAIN[:-1] + b"Content-Transfer-Encoding: base64\n\n" + _repeat(b"QUFB\n", n),
    "uuencoded": lambda n: _PLAIN[:-1] + b"Content-Transfer-Encoding: x-uuencode\n\nbegin 644 x\n" + _repeat(b"#86)C\n", n),
    "flowed text": lambda n: b"Content-Type: text/plain; format=flowed\n\n" + _repeat(b">> a \n", n),
    "short lines": _short_lines,
    "one line": lambda n: _PLAIN + b"a" * n,
    "words of their own": _numbered(_PLAIN, b"%d "),
    "many parts": _many_parts,
    "named parts": _named_parts,
    "parts in parts": _nested_parts,
    "parts of a long field": _parts_of_a_long_field,
    "messages in messages": _nested_messages,
    "header fields": _headers,
    "header fields of their own": _numbered(b"", b"x%d:\n", b"\nbody"),
    "unreadable dates": _received,
    "a folded field": _field(b"Subject: ", b"a\n "),
    "encoded words": _field(b"Subject: ", b"=?utf-8?q?a?=\n "),
    "encoded words of two charsets": _field(b"Subject: ", b"=?utf-8?q?a?=\n =?koi8-r?q?a?=\n "),
    "encoded words unfinished": _field(b"Subject: ", b"=?utf-8?q?"),
    "octets in a field": _field(b"Subject: ", b"\xe4\xf6 "),
    "addresses": _field(b"To: ", b"a@b.example,"),
    "addresses of their own": _numbered(b"To: ", b"a%d@b.example,", b"\n\nbody"),
    "commas": _field(b"To: ", b","),
    "colons after words": lambda n: b"To: " + b"a " * (n // 3) + b"@" + b":" * (n // 3) + b"\n\nx",
    "quotes": _field(b"To: ", b'"'),
    "brackets of comments": _field(b"To: ", b"("),
    "angles": _field(b"To: ", b"<"),
    "routes": _field(b"To: <", b"@a,"),
    "domain literals": _field(b"To: ", b"["),
    "long display names": _field(b"To: ", b"=?utf-8?q?a?= ", b"<a@b.example>"),
    "a domain of many labels": _field(b"From: a@", b"\xc3\xa9."),
    "parameters": _numbered(b"Content-Type: text/plain", b"; a%d=b", b"\n\nbody"),
    "pieces of a parameter": _numbered(b"Content-Type: application/pdf; x=y", b"; name*%d*=b", b"\n\nbody"),
    "semicolons in quotes": _field(b'Content-Type: text/plain; a="', b";"),
    "a posting address without end": _field(b"List-Post: ", b"<mailto:"),
    "white space in a posting address": _field(b"List-Post: ", b"< "),
    "list brackets": _field(b"List-Id: ", b"<a> ("),
    "leaving a list": _field(b"List-Unsubscribe: ", b"< "),
    "ways to leave a list": _field(b"List-Unsubscribe: ", b"<https://x.example/>,"),
    "references": _field(b"References: ", b"<a@b.example> "),
    "calendar parameters": lambda n: b"Content-Type: text/calendar\n\n" + _repeat(b"METHOD;a\nMETHOD;", n),
    "a date of commas": _field(b"Date: ", b","),
    "a date of digits": _field(b"Date: Mon, ", b"9"),
    "nul": _plain("\x00"),
}  # fmt: skip
