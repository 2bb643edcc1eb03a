"""E-mail addresses out of vCard files (RFC 6350; 3.0 files, RFC 2426, read alike)."""

import re

from mnemic.core.charsets import decode_octets

__all__ = ["addresses_of"]

_FOLD = re.compile(r"\r?\n[ \t]")
_EMAIL = re.compile(
    r"^(?:[A-Za-z0-9-]+\.)?EMAIL(?:;(?:[^\":;]|\"[^\"]*\"|;)*)?:(.*)$", re.IGNORECASE | re.MULTILINE
)
_ESCAPED = re.compile(r"\\([\\,;])")


def addresses_of(octets: bytes) -> list[str]:
    """The value of every EMAIL property, in order."""
    text = _FOLD.sub("", decode_octets(octets, "utf-8"))
    values = (_ESCAPED.sub(r"\1", match[1]).strip() for match in _EMAIL.finditer(text))
    return [value.removeprefix("mailto:") for value in values if value]
