"""Evidence in the office's words: what stands in a message as it stands, all else said plainly."""

from mnemic.core.fields import FIELDS
from mnemic.core.fields.field import EvidenceWords

__all__ = ["because_saying", "value_in_words"]

#: How evidence is told, by where it is found: the fields say so.
_WORDS: dict[str, EvidenceWords] = {
    where: words for field in FIELDS.values() for where, words in field.evidence.items()
}


def value_in_words(field: str, value: str) -> str:
    """A value of evidence as people say it; the text of a message stays as it is."""
    words = _WORDS.get(field)
    return value if words is None else words.value(value)


def because_saying(field: str, value: str, start: int, end: int) -> str:
    """Why a condition held, in a few words: "came to moorings@", "“permit”", "a newsletter"."""
    words = _WORDS.get(field)
    if words is None:
        return f"“{value[start:end]}”"
    if words.because is not None:
        return words.because(value)
    return f"{words.lead} {words.value(value)}".lstrip()
