"""Rules as Sieve (RFC 5228): written for a server, and read from any script that rules can say."""

from mnemic.core.sieve.errors import SieveError, SieveProblem
from mnemic.core.sieve.grammar import MOST_OCTETS
from mnemic.core.sieve.reading import FOLDED, ReadScript, read_script
from mnemic.core.sieve.writing import (
    FOLDING,
    HELD_BACK,
    USUAL,
    Grade,
    RuleGrade,
    Script,
    Setting,
    written_script,
)

__all__ = [
    "FOLDED",
    "FOLDING",
    "HELD_BACK",
    "MOST_OCTETS",
    "USUAL",
    "Grade",
    "ReadScript",
    "RuleGrade",
    "Script",
    "Setting",
    "SieveError",
    "SieveProblem",
    "read_script",
    "written_script",
]
