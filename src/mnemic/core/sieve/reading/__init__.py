"""Scripts read as rules, by what they mean."""

from mnemic.core.sieve.reading.refusals import FOLDED
from mnemic.core.sieve.reading.script import ReadScript, read_script

__all__ = ["FOLDED", "ReadScript", "read_script"]
