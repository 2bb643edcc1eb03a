"""Domains in one comparable form (IDNA: RFC 5890 to 5894, UTS 46)."""

from functools import cache, lru_cache

import idna
from publicsuffixlist import PublicSuffixList

from mnemic.core.bounds import MOST_DOMAIN

__all__ = ["canonical_domain", "is_public_suffix", "is_under", "piece_as_domain"]

#: What may stand between labels (RFC 3490, section 3.1).
_DOTS = (".", "\u3002", "\uff0e", "\uff61")


def _unicode_label(label: str) -> str:
    if not label.startswith("xn--"):
        return label
    try:
        return idna.ulabel(label)
    except (idna.IDNAError, UnicodeError):
        return label


@lru_cache(maxsize=65_536)
def canonical_domain(text: str) -> str:
    """A domain, or a piece of one, in lower-case Unicode labels without a trailing dot.

    ``XN--BCHER-KVA.example.`` and ``bücher.example`` give the same; ``straße`` and ``strasse``
    stay apart, as they do in IDNA 2008. What is no valid domain is only lowered.
    """
    text = text.strip()
    if text.isascii():
        text = text.lower()
        if "xn--" not in text or len(text) > MOST_DOMAIN:
            return text[:-1] if text.endswith(".") else text
    elif len(text) > MOST_DOMAIN:
        return text.lower()
    else:
        try:
            text = idna.uts46_remap(text, std3_rules=False, transitional=False)
        except (idna.IDNAError, UnicodeError):
            text = text.lower()
    return ".".join(map(_unicode_label, text.removesuffix(".").split(".")))


def piece_as_domain(piece: str, *, case: bool) -> str | None:
    """How a piece of a text reads in a canonical domain, where that is not as it is written.

    With ``case`` a piece with capitals is in no such domain. The dot at its end stays.
    """
    lower = piece.lower()
    if (piece.isascii() and "xn--" not in lower) or (case and piece != lower):
        return None
    domain = canonical_domain(piece)
    return f"{domain}." if domain and piece.endswith(_DOTS) else domain or None


def is_under(domain: str, parent: str) -> bool:
    """Whether a canonical ``domain`` is ``parent`` itself or one below it."""
    return domain == parent or domain.endswith(f".{parent}")


@cache
def _public_suffixes() -> PublicSuffixList:
    # Without the list's domains in ASCII: canonical ones are in Unicode, and they take the longest.
    return PublicSuffixList(accept_encoded_idn=False)


def is_public_suffix(domain: str) -> bool:
    """Whether names below a canonical domain are anybody's own (the Public Suffix List)."""
    return bool(_public_suffixes().is_public(domain))
