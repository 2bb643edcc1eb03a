"""Sieve (RFC 5228) in the stand-in: a reader and an interpreter that share no code with Mnemic.

They are the second opinion of what a script does.
"""

from mnemic.stand_in.sieve.reading import ScriptRefusedError, checked
from mnemic.stand_in.sieve.running import Delivered, Result, run
from mnemic.stand_in.sieve.words import CAPABILITIES

__all__ = ["CAPABILITIES", "Delivered", "Result", "ScriptRefusedError", "checked", "run"]
