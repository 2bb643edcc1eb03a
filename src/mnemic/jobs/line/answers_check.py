"""Whether what is kept for searches and rehearsals still says what the messages say.

Folded texts, tables of addresses and the index are made from the octets, once. A sample of messages
is read anew and asked every condition of the line; so an index that is not true shows.
"""

from collections.abc import Iterator
from datetime import UTC, datetime

from sqlmodel import Session

from mnemic.core import Given
from mnemic.core.fields import BaseCondition
from mnemic.core.rules import conditions_in
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.store.conditions_sql import Asking
from mnemic.store.conditions_sql.ids import IdRange, ids_holding
from mnemic.store.engine.driver import driver
from mnemic.store.line.rules import StandingLine, standing_line
from mnemic.store.mail.message_states import states_of_messages
from mnemic.store.mail.message_views import StoredMessage, stored_messages
from mnemic.store.mail.trigram_index import MOST_PENDING, indexed_up_to

__all__ = ["check_answers"]

#: The sample: so many runs of ids, evenly spread, of so many messages each.
_RUNS, _RUN = 10, 20


def _ranges(top: int) -> Iterator[IdRange]:
    step = max(_RUN, top // _RUNS)
    for high in range(top, 0, -step):
        yield IdRange(max(0, high - _RUN), high)


def _conditions(line: StandingLine) -> dict[BaseCondition, str]:
    """The conditions on what messages say, each with the name of a rule that has it."""
    return {
        condition: rule.name
        for rule in line.rules
        for condition in (*conditions_in(rule.when), *conditions_in(rule.unless))
        if condition.of_content
    }


def _holds(condition: BaseCondition, message: StoredMessage, around: MailboxCircumstances) -> bool:
    received = message.received or datetime.now(UTC)
    given = Given(message.state, around.of(received, message.id))
    return condition.holds(message.parsed.received_at(received), given)


def check_answers(session: Session, now: datetime) -> Iterator[str]:
    """Each condition of the line that a sample of messages contradicts, in words."""
    top = states_of_messages(session).top
    if top - indexed_up_to(driver(session)) > MOST_PENDING:
        yield "searches take long, since most mail is not indexed; run “mnemic reindex”"
    around = MailboxCircumstances(session, now)
    asking = Asking(session, around.zone, around.of(now))
    conditions = _conditions(standing_line(session))
    wrong: set[BaseCondition] = set()
    for id_range in _ranges(top):
        ids = iter(range(id_range.low + 1, id_range.high + 1))
        messages = list(stored_messages(session, ids))
        for condition, name in conditions.items():
            now_holding = ids_holding(condition, asking, id_range)
            if now_holding is None or condition in wrong:
                continue
            holding = set(now_holding.tolist())
            for message in messages:
                if _holds(condition, message, around) != (message.id in holding):
                    wrong.add(condition)
                    yield (
                        f"message {message.id} is not found as it is, by a condition of"
                        f" “{name}”; run “mnemic reindex”"
                    )
                    break
