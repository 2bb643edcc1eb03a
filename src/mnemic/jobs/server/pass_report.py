"""What a pass over a connected account came to."""

from dataclasses import dataclass, field

__all__ = ["PassReport"]


@dataclass
class PassReport:
    """How many messages were got, arrived, were sorted by rules, and were changed on either side.

    ``changed`` are the messages that changed here, arrivals not among them; ``there`` those that
    were changed on the server; ``gone`` those that are gone elsewhere. ``troubles`` are sentences.
    """

    fetched: int = 0
    sorted: int = 0
    arrived: set[int] = field(default_factory=set)
    changed: set[int] = field(default_factory=set)
    there: set[int] = field(default_factory=set)
    gone: set[int] = field(default_factory=set)
    troubles: list[str] = field(default_factory=list)
    alerts: list[str] = field(default_factory=list)
