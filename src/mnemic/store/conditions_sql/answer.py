"""An answer in SQL to the question for which messages a condition holds."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import tzinfo
from typing import Any, Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.core import Circumstances, MnemicError

__all__ = ["SOURCES", "Answer", "Asking", "NotSearchableError", "Source", "named"]


class NotSearchableError(MnemicError):
    """A test that SQL alone can't answer."""


#: What an answer's SQL is over: ``message`` as m, ``message_folded`` as f, ``message_text`` as t;
#: where two are named, the first is looked at before the other is read.
Source: TypeAlias = Literal["m", "f", "t", "fm", "ft"]

_FOLDED_FIRST = "message_folded AS f CROSS JOIN message AS m ON m.id = f.message_id"

#: The tables of each source, and what the message's id is called there.
SOURCES: Mapping[Source, tuple[str, str]] = {
    "m": ("message AS m", "m.id"),
    "f": ("message_folded AS f", "f.message_id"),
    "t": ("message AS m JOIN message_text AS t ON t.message_id = m.id", "m.id"),
    "fm": (_FOLDED_FIRST, "f.message_id"),
    "ft": (f"{_FOLDED_FIRST} CROSS JOIN message_text AS t ON t.message_id = m.id", "f.message_id"),
}


@dataclass(frozen=True, slots=True)
class Answer:
    """Which messages a condition holds for.

    ``where`` is SQL over the ``source``, true of each message for which the condition holds. In
    its place ``ids`` may be a SELECT of the messages' ids between ``:low`` and ``:high``.
    ``narrowing`` is a query of the trigram index that they pass, too.

    An answer is *exact* where it is true of no other messages. Of others, *candidates*, the core
    decides: by the texts in the columns ``looks_at``, which ``passes`` is asked about, or by the
    message itself, of which so much is ``to_parse``: its header, its octets, or all that is known.
    Of a header a condition may look at one ``header_field`` alone, in small letters.

    Where the messages are known without asking they are ``listed``, too, the lowest id first.
    """

    where: str = ""
    source: Source = "m"
    ids: str = ""
    parameters: Mapping[str, Any] = field(default_factory=dict)
    narrowing: str | None = None
    looks_at: tuple[str, ...] = ()
    passes: Callable[[tuple[Any, ...]], bool] | None = None
    to_parse: Literal["header", "octets", "all"] | None = None
    header_field: str = ""
    listed: NDArray[np.int64] | None = None

    @property
    def exact(self) -> bool:
        """Whether SQL alone decides."""
        return not self.looks_at and self.to_parse is None


@dataclass(frozen=True, slots=True)
class Asking:
    """What an answer is made in: calendar days are those of ``zone``.

    ``known`` is None where nobody says who the owner is, who the contacts are, and what time it is.
    Where nothing matters but the few messages with ids above one number, up to another, it is asked
    ``within`` these.
    """

    session: Session
    zone: tzinfo
    known: Circumstances | None = None
    within: tuple[int, int] | None = None

    @property
    def circumstances(self) -> Circumstances:
        """What the owner's circumstances are; raises NotSearchableError where nobody says."""
        if self.known is None:
            raise NotSearchableError("what depends on the owner’s circumstances can’t be searched")
        return self.known


def named(values: Any) -> dict[str, Any]:
    """Values as parameters."""
    return {f"p{number}": value for number, value in enumerate(values)}
