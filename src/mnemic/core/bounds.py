"""Limits, each with its reason; docs/bounds.md tells them to people.

A rule is written by a person or made by a program from an address book, and a message by whoever
likes. Beyond these it is a mistake or an attack, and would cost everybody else time and memory. A
rule beyond is an error with its path; of a message what lies beyond is kept and told.
"""

__all__ = [
    "MOST_ADDRESSES",
    "MOST_ATTRIBUTES",
    "MOST_CONDITIONS",
    "MOST_DOCUMENT_OCTETS",
    "MOST_DOMAIN",
    "MOST_ENTITIES",
    "MOST_FIELD",
    "MOST_FIELDS",
    "MOST_GROWING",
    "MOST_GUESSES",
    "MOST_HEADER",
    "MOST_HEADER_LINES",
    "MOST_HTML",
    "MOST_HTML_DEEP",
    "MOST_LEVELS",
    "MOST_LINES",
    "MOST_MESSAGE",
    "MOST_NAME",
    "MOST_NUMBER",
    "MOST_PARTS",
    "MOST_PARTS_DEEP",
    "MOST_REPEATED",
    "MOST_REPLY",
    "MOST_RULES",
    "MOST_TAGS",
    "MOST_TEXT",
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

#: Octets of a message (announced by SIZE, RFC 1870): common mail services take between 20 and
#: 50 MB; it is held in memory while it is taken in.
MOST_MESSAGE = 50 * 1024 * 1024

#: Parts of a message inside parts: mail programs make five at most (common practice). The library
#: holds each line against the boundaries of all levels.
MOST_PARTS_DEEP = 20

#: Parts of a message: a digest of a busy list has some hundreds.
MOST_PARTS = 1_000

#: Lines of a message: 50 MB in lines of 76 characters (RFC 2045, section 6.8) are 690,000. Each is
#: an object of its own while the message is taken apart.
MOST_LINES = 1_000_000

#: Characters of one header field: 2,000 recipients with their names.
MOST_FIELD = 128 * 1024

#: Fields of a header, its lines, and characters of all: after many servers it has a hundred.
MOST_FIELDS = 2_000
MOST_HEADER_LINES = 20_000
MOST_HEADER = 1024 * 1024

#: Addresses of a message: each is a row of the mailbox, and a text that every rule looks at.
MOST_ADDRESSES = 5_000

#: Characters of text: a shelf of books. More is a file that was pasted.
MOST_TEXT = 2_000_000

#: Characters that fold to more than three (U+FDFA to eighteen): no text has so many.
MOST_GROWING = 1_000

#: Texts of one message of which the charset is guessed: each guess takes milliseconds.
MOST_GUESSES = 20

#: HTML: characters without embedded pictures, tags, entities, attributes of one element, and
#: elements inside elements. Long reports have 20,000 tags; browsers lay out 512 levels.
MOST_HTML = 1_000_000
MOST_TAGS = 50_000
MOST_ENTITIES = 100_000
MOST_ATTRIBUTES = 200
MOST_HTML_DEEP = 200

#: Characters of elements that a parser makes of misnested ones beside those that are written.
MOST_REPEATED = 2_000_000

#: Characters of a domain (RFC 1035, section 2.3.4, has 255 octets); a longer one is only lowered.
MOST_DOMAIN = 1_000

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
