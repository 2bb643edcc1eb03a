"""Labels as keywords of IMAP and Sieve (RFC 9051, section 2.3.2; RFC 5232, section 2)."""

import re
import unicodedata

__all__ = ["is_keyword", "keyword_for", "label_for"]

#: What an atom can't have (RFC 9051, section 9: ATOM-CHAR), and what begins a flag of the system.
_NO_ATOM = re.compile(r'[^\x21-\x7e]|[(){%*"\\\]]')


def keyword_for(name: str, taken: set[str]) -> str:
    """A keyword for a label's name that can be read; ``taken`` are those of others, folded."""
    plain = unicodedata.normalize("NFKD", name)
    plain = "".join(character for character in plain if not unicodedata.combining(character))
    base = keyword = _NO_ATOM.sub("_", plain) or "_"
    number = 1
    while keyword.lower() in taken:
        number += 1
        keyword = f"{base}-{number}"
    return keyword


def label_for(keyword: str) -> str:
    """The name of the label that a keyword would be, as people write it where it can be told."""
    name = keyword.replace("_", " ").strip()
    name = name[:1].upper() + name[1:]
    return name if keyword_for(name, set()).lower() == keyword.lower() else keyword


def is_keyword(name: str) -> bool:
    """Whether a name can be a keyword as it is."""
    return bool(name) and not _NO_ATOM.search(name)
