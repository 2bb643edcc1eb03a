"""Text of header fields: unfolding (RFC 5322, section 2.2.3) and encoded words (RFC 2047)."""

import base64
import binascii
import quopri
import re
from collections.abc import Iterator

from mnemic.core.message.charsets import decode_octets

__all__ = ["decode_phrase", "decode_unstructured", "raw_text", "unfold"]

# RFC 2047, section 2; the "*language" suffix is RFC 2231, section 5.
_ENCODED_WORD = r"=\?([^?*\s]+)(?:\*[^?\s]*)?\?([BbQq])\?([^?\s]*)\?="

# RFC 2047, section 5 (1): in unstructured text an encoded word stands between white space.
_IN_TEXT = re.compile(rf"(?<!\S){_ENCODED_WORD}(?!\S)")
# Section 5 (3), and common practice in quoted strings: nothing but the word itself counts.
_ANYWHERE = re.compile(_ENCODED_WORD)


# What the parser makes of an octet beyond ASCII (PEP 383).
_ESCAPED_OCTET = re.compile("[\udc80-\udcff]")


def raw_text(value: str) -> str:
    """Turn the octets beyond ASCII that the parser kept as surrogates into text."""
    if value.isascii() or not _ESCAPED_OCTET.search(value):
        return value
    return decode_octets(value.encode("utf-8", "surrogateescape"), None)


def unfold(value: str) -> str:
    """Join the lines of a folded header field (RFC 5322, section 2.2.3)."""
    return value.replace("\n", "").replace("\r", "").strip(" \t")


def _word_octets(encoding: str, text: str) -> bytes | None:
    octets = text.encode("utf-8", "surrogateescape")
    if encoding in "qQ":
        return quopri.decodestring(octets, header=True)
    octets = octets.rstrip(b"=")
    try:
        return base64.b64decode(octets + b"=" * (-len(octets) % 4), validate=True)
    except binascii.Error:
        return None


def _runs(text: str, word: re.Pattern[str]) -> Iterator[list[re.Match[str]]]:
    """The encoded words of a text; those with nothing but white space between them together."""
    run: list[re.Match[str]] = []
    for match in word.finditer(text):
        if run and text[run[-1].end() : match.start()].strip():
            yield run
            run = []
        run.append(match)
    if run:
        yield run


def _decode_run(run: list[re.Match[str]]) -> str | None:
    """Decode adjacent encoded words; those of one charset are joined as octets first.

    None where one of them can't be decoded: then the run is plain text, as it stands.
    """
    decoded: list[str] = []
    charset, pending = "", list[bytes]()
    for word in run:
        octets = _word_octets(word[2], word[3])
        if octets is None:
            return None
        if word[1].lower() != charset:
            decoded.append(decode_octets(b"".join(pending), charset))
            charset, pending = word[1].lower(), []
        pending.append(octets)
    decoded.append(decode_octets(b"".join(pending), charset))
    return "".join(decoded)


def _decode(text: str, word: re.Pattern[str]) -> str:
    if "=?" not in text:
        return text
    pieces, at = list[str](), 0
    for run in _runs(text, word):
        begin, end = run[0].start(), run[-1].end()
        decoded = _decode_run(run)
        pieces += text[at:begin], text[begin:end] if decoded is None else decoded
        at = end
    return "".join([*pieces, text[at:]])


def decode_unstructured(value: str) -> str:
    """The text of an unstructured header field such as Subject, unfolded and decoded."""
    return _decode(raw_text(unfold(value)), _IN_TEXT)


def decode_phrase(text: str) -> str:
    """Decode the encoded words of a phrase, a quoted string, a comment or a file name."""
    return _decode(text, _ANYWHERE)
