"""Rules written as a script: conditions, actions, and the forms in which a line is said."""

from mnemic.core.sieve.writing.deeds import HELD_BACK
from mnemic.core.sieve.writing.grades import FOLDING, Grade
from mnemic.core.sieve.writing.script import RuleGrade, Script, written_script
from mnemic.core.sieve.writing.setting import USUAL, Setting

__all__ = [
    "FOLDING",
    "HELD_BACK",
    "USUAL",
    "Grade",
    "RuleGrade",
    "Script",
    "Setting",
    "written_script",
]
