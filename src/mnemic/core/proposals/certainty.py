"""How sure it is that somebody does something, from how often they did it."""

from dataclasses import dataclass
from math import sqrt
from statistics import NormalDist

from mnemic.core.proposals.message_set import MessageSet

__all__ = ["CountedMail", "lower_bound"]

#: The quantile of the normal distribution for an interval of 95%.
_Z = NormalDist().inv_cdf(0.975)


def lower_bound(did: int, of: int) -> float:
    """The lower end of the Wilson score interval at 95% for ``did`` times out of ``of``.

    (Wilson 1927, "Probable inference, the law of succession, and statistical inference".)
    Nothing is known of what there was no chance to do: 0.
    """
    if of == 0:
        return 0.0
    share, square = did / of, _Z * _Z
    middle = share + square / (2 * of)
    spread = _Z * sqrt(share * (1 - share) / of + square / (4 * of * of))
    return max(0.0, (middle - spread) / (1 + square / of))


@dataclass(frozen=True)
class CountedMail:
    """What a rule takes of all mail (``taken``), and how often it was done with it.

    Of what it takes the owner could have done it with ``of``, and did it with ``did``.
    """

    taken: MessageSet
    of: MessageSet
    did: MessageSet

    @property
    def bound(self) -> float:
        """How sure it is that the owner does this with such mail, from 0 to 1."""
        return lower_bound(self.did.bit_count(), self.of.bit_count())
