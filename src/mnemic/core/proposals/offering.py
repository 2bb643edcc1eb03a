"""What is offered right after something was done by hand for the third time."""

from collections.abc import Callable, Sequence

from mnemic.core.proposals.certainty import CountedMail
from mnemic.core.proposals.habits import Habit
from mnemic.core.proposals.learning import LearntMail
from mnemic.core.proposals.message_set import MessageSet
from mnemic.core.proposals.proposing import Proposal, StandingRule, is_contradicted, proposed_rule
from mnemic.core.proposals.traits import Trait

__all__ = ["offer"]

#: So many alike acts are worth a question.
_FEWEST = 3

#: It was done with more than this share of the mail that the rule would take.
_MOSTLY = 0.5

#: What an offer goes by, in this order: people know whom mail is from.
_KNOWN_BY = (("list", "is"), ("from", "is"))


def offer(
    habit: Habit,
    mail: LearntMail,
    messages: MessageSet,
    line: Callable[[], Sequence[StandingRule]],
) -> Proposal | None:
    """A rule for what was just done with these messages, by their list or sender; or None.

    An offer is made on less evidence than a proposal: it is a question, asked once. The ``line`` is
    asked for where there is something to offer.
    """
    newest = messages.bit_length() - 1
    traits = mail.traits([newest]).get(newest, frozenset()) if messages else frozenset()
    for trait in sorted(filter(_tells, traits), key=_order):
        condition = trait.condition
        if condition is None:
            continue
        (taken,) = mail.holding([condition])
        did = habit.did & taken
        of = taken & mail.since_first_of(did)
        often = did.bit_count() >= _FEWEST and did.bit_count() > _MOSTLY * of.bit_count()
        if often and not is_contradicted(habit.action, taken, line()):
            rule = proposed_rule([condition], habit.action)
            return Proposal(rule, "by hand", CountedMail(taken, of, did))
    return None


def _tells(trait: Trait) -> bool:
    return (trait.field, trait.test) in _KNOWN_BY and trait.part != "domain"


def _order(trait: Trait) -> tuple[int, Trait]:
    return _KNOWN_BY.index((trait.field, trait.test)), trait
