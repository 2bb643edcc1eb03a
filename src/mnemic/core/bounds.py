"""Limits, each with its reason; docs/bounds.md tells them to people.

A rule is written by a person or made by a program from an address book, and a message by whoever
likes. Beyond these it is a mistake or an attack, and would cost everybody else time and memory. A
rule beyond is an error with its path; of a message what lies beyond is kept and told.
"""

__all__ = [
    "MOST_CONDITIONS",
    "MOST_DOCUMENT_OCTETS",
    "MOST_LEVELS",
    "MOST_NAME",
    "MOST_NUMBER",
    "MOST_PARTS_DEEP",
    "MOST_REPLY",
    "MOST_RULES",
    "MOST_VALUE",
    "MOST_VALUES",
    "text_problem",
]

#: Rules of a document: more than an office of hundreds has; the index is measured with as many.
MOST_RULES = 20_000

#: Conditions of one rule: each is answered for all of the mail while it is rehearsed.
MOST_CONDITIONS = 500

#: Groups inside groups: nobody reads more, and each level costs the order check a multiple.
MOST_LEVELS = 20

#: Values of one condition: the addresses of a large association.
MOST_VALUES = 10_000

#: Characters of one value: a long sentence; a subject has 998 at most (RFC 5322, section 2.1.1).
MOST_VALUE = 2_000

#: Characters of a name of a rule or label, or of one level of a folder's path.
MOST_NAME = 200

#: Characters of an automatic answer: some pages.
MOST_REPLY = 20_000

#: Octets of a document: all of the above would be far more; it is read in memory.
MOST_DOCUMENT_OCTETS = 10 * 1024 * 1024

#: Whole numbers that every JSON reader keeps exactly (RFC 8259, section 6) lie below this.
MOST_NUMBER = 2**53

#: Parts of a message inside parts: mail programs make five at most (common practice). The library
#: holds each line against the boundaries of all levels.
MOST_PARTS_DEEP = 20

_LINE_TEXT = "\t\n\r"


def text_problem(text: str, *, lines: bool = True) -> str | None:
    """What is wrong with the characters of a text, if anything; ``lines``: it may have several."""
    for at, character in enumerate(text):
        code = ord(character)
        if 0xD800 <= code <= 0xDFFF:
            return f"holds half of a character (a lone surrogate) at {at + 1}; leave it out"
        if (code < 0x20 or 0x7F <= code < 0xA0) and not (lines and character in _LINE_TEXT):
            return f"holds a control character (U+{code:04X}) at {at + 1}; leave it out"
    return None
