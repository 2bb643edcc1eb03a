"""What a pass over a connected account came to."""

from dataclasses import dataclass, field
from datetime import date

__all__ = ["PassReport"]


@dataclass
class PassReport:
    """How many messages were got, arrived, were sorted by rules, and were changed on either side.

    ``runs`` are those that arrivals stand in, by their saying and the owner's day. ``changed`` are
    the messages that changed here, arrivals not among them; ``there`` those that were changed on
    the server; ``gone`` those that are gone elsewhere. ``sounds`` are what rules want to be heard,
    ``troubles`` sentences.
    """

    fetched: int = 0
    sorted: int = 0
    runs: dict[tuple[str, date], int] = field(default_factory=dict)
    arrived: set[int] = field(default_factory=set)
    changed: set[int] = field(default_factory=set)
    there: set[int] = field(default_factory=set)
    gone: set[int] = field(default_factory=set)
    sounds: list[str] = field(default_factory=list)
    troubles: list[str] = field(default_factory=list)
    alerts: list[str] = field(default_factory=list)

    def counts(self) -> dict[str, int]:
        """It in numbers, as ``mnemic sync`` prints them; an arrival is not counted as changed."""
        return {
            "fetched": self.fetched,
            "arrived": len(self.arrived),
            "sorted": self.sorted,
            "changed_there": len(self.there - self.arrived),
            "changed_here": len(self.changed - self.arrived),
            "gone": len(self.gone),
        }
