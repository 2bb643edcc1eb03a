"""What can't be taken from a script, gathered with its places."""

from dataclasses import dataclass, field

from mnemic.core.sieve.writing.grades import FOLDING

__all__ = ["FOLDED", "Notes", "RefusedError"]

#: What is said of every test that compares texts.
FOLDED = FOLDING.replace("the server takes", "the script took")


class RefusedError(Exception):
    """A piece of a script that no rule can say, ``at`` a place in its text."""

    def __init__(self, at: int, reason: str) -> None:
        self.at, self.reason = at, reason
        super().__init__(reason)


@dataclass
class Notes:
    """Where the rules that are made differ from what they are read from."""

    why: list[str] = field(default_factory=list)

    def add(self, why: str) -> None:
        """Say it once."""
        if why not in self.why:
            self.why.append(why)
