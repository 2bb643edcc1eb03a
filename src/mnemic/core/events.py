"""What makes rules run."""

from typing import Literal, TypeAlias

__all__ = ["Event"]

#: Mail comes in, mail is sent, once a day, or when the owner asks.
Event: TypeAlias = Literal["arrival", "sent", "daily", "hand"]
