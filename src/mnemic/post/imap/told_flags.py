"""The flags that a server tells of messages, as text: of very many, as a rule, few are different.

IMAPClient reads an answer letter by letter. Lines that differ in numbers alone are read once.
"""

import re
from collections.abc import Iterable
from functools import lru_cache
from typing import Any

from imapclient.response_parser import parse_fetch_response

__all__ = ["flags_from", "usual_flags"]

#: Flags that Mnemic keeps; the others of the server's own are left as they are.
_SYSTEM = {"\\seen", "\\flagged", "\\deleted"}

#: What most servers answer to "UID FETCH (UID FLAGS)" of a message (RFC 9051, section 7.5.2; MODSEQ
#: is of RFC 7162, section 3.1.4.1); whatever looks otherwise is for the library.
_USUAL = re.compile(
    rb"[0-9]{1,10} \(UID ([0-9]{1,10}) FLAGS (\([^()\"{}\[\]]*\))(?: MODSEQ \([0-9]{1,19}\))?\)"
)


def flags_from(flags: Iterable[Any]) -> frozenset[str]:
    """Flags as text; those of the system in small letters, keywords as they are written."""
    return _as_text(tuple(flags))


@lru_cache(maxsize=1_024)
def _as_text(flags: tuple[Any, ...]) -> frozenset[str]:
    names = (
        flag.decode("utf-8", "replace") if isinstance(flag, bytes) else str(flag) for flag in flags
    )
    return frozenset(name.lower() if name.lower() in _SYSTEM else name for name in names)


@lru_cache(maxsize=1_024)
def _listed(flags: bytes) -> frozenset[str]:
    ((facts),) = parse_fetch_response([b"1 (UID 1 FLAGS %b)" % flags], False, True).values()
    return flags_from(facts[b"FLAGS"])


def usual_flags(lines: list[Any]) -> tuple[dict[int, frozenset[str]], list[Any]]:
    """By UID the flags in those lines of an answer that are as usual, and all other lines.

    The list is empty afterwards: lines by the ten thousand are not kept beside what they say.
    Raises what IMAPClient raises where it can't read a list of flags.
    """
    flags_of_uid: dict[int, frozenset[str]] = {}
    others = []
    lines.reverse()
    while lines:
        line = lines.pop()
        usual = _USUAL.fullmatch(line) if isinstance(line, bytes) else None
        if usual is None:
            others.append(line)
        else:
            flags_of_uid[int(usual[1])] = _listed(usual[2])
    return flags_of_uid, others
