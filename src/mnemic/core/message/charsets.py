"""Octets to text: the charset that was named where it can be used, else the best guess."""

import codecs
import re
from functools import lru_cache

import charset_normalizer

__all__ = ["decode_octets", "is_known"]

#: Below this many octets beyond ASCII a statistical guess is a coin toss between the
#: single-byte charsets; windows-1252 is by far the commonest of them in mail (common practice).
_ENOUGH_TO_GUESS = 48

#: A guess needs a sample, not the whole of a long text.
_SAMPLE_OCTETS = 16_384

_COMMONEST = "cp1252"

#: Names that say nothing about octets beyond ASCII.
_NAMES_NOTHING = frozenset({"", "ascii", "us-ascii", "unknown", "unknown-8bit", "x-unknown"})

#: What these labels announce is, in practice, the Windows superset of the charset (WHATWG
#: Encoding, section 4.2, from memory); it differs in C1 controls alone, which no mail means.
_SUPERSETS = {"iso8859-1": "cp1252", "gb2312": "gb18030", "gbk": "gb18030", "euc_kr": "cp949"}


#: Codecs of Python that are no charsets of mail; some raise, some make half characters.
_NO_CHARSETS = frozenset({"idna", "punycode", "unicode-escape", "raw-unicode-escape", "undefined"})

_HALF_CHARACTER = re.compile("[\ud800-\udfff]")


def _whole(text: str) -> str:
    """The text without lone surrogates, which neither UTF-8 nor JSON nor a database can hold."""
    return text if text.isascii() else _HALF_CHARACTER.sub("\ufffd", text)


@lru_cache(maxsize=256)
def _codec(charset: str) -> str | None:
    """The codec for a charset's name, or None where it names no text codec."""
    name = charset.strip().strip("'\"").lower()
    if name in _NAMES_NOTHING:
        return None
    try:
        info = codecs.lookup(name)
    except (LookupError, ValueError):
        return None
    # Python counts base64, rot13 and the like as codecs; a message may not ask for those.
    if not info._is_text_encoding or info.name in _NO_CHARSETS:
        return None
    return _SUPERSETS.get(info.name, info.name)


def is_known(charset: str) -> bool:
    """Whether text can be decoded by a charset of that name."""
    return charset.strip().lower() in _NAMES_NOTHING or _codec(charset) is not None


@lru_cache(maxsize=64)
def _likely_charset(sample: bytes) -> str:
    """What statistics say of octets that are not UTF-8; the same text is asked of many times."""
    if sum(octet > 0x7F for octet in sample) >= _ENOUGH_TO_GUESS:
        best = charset_normalizer.from_bytes(sample).best()
        if best is not None:
            return best.encoding
    return _COMMONEST


def _guess(octets: bytes, *, statistics: bool) -> str:
    try:
        return octets.decode("utf-8")
    except UnicodeDecodeError:
        pass
    charset = _likely_charset(octets[:_SAMPLE_OCTETS]) if statistics else _COMMONEST
    return _whole(octets.decode(charset, "replace"))


def decode_octets(octets: bytes, charset: str | None, *, guess: bool = True) -> str:
    """Decode octets by ``charset``; never raises.

    A charset that is missing, ``us-ascii`` or unknown gives UTF-8 if the octets are valid
    UTF-8, else the best guess, which is a statistical one with ``guess``. What a known charset
    can't decode becomes U+FFFD.
    """
    if octets.isascii() and (charset is None or charset.lower() in _NAMES_NOTHING):
        return octets.decode("ascii")
    codec = _codec(charset) if charset else None
    if codec is None:
        return _guess(octets, statistics=guess)
    try:
        return _whole(octets.decode(codec, "replace"))
    except (UnicodeError, ValueError):  # a few stateful codecs raise even when told to replace
        return _guess(octets, statistics=guess)
