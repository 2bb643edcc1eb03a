"""What a rule has done: how much it took, day by day, and what of it a person put back."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.store.engine.driver import driver
from mnemic.store.engine.sql import fetch
from mnemic.store.line.taken_mail import each_once, taken_on_days
from mnemic.store.mail.folders import folders_with_role

__all__ = ["RuleWork", "changed_by_hand", "left_to_hands", "put_back_by_hand", "work_of"]


@dataclass(frozen=True, slots=True)
class RuleWork:
    """How many messages a rule took: on each day, the last one being today, and in all of them.

    ``last`` is when it took the last one, ever (seconds since 1970), None where it took none.
    """

    days: tuple[int, ...]
    week: int
    whole: int
    last: int | None


def work_of(session: Session, rule_id: int, midnights: Sequence[int]) -> RuleWork:
    """What a rule took on the days that begin at these midnights (seconds since 1970), in order."""
    days = taken_on_days(session, rule_id, midnights)

    def taken(number: int) -> int:
        return each_once(np.concatenate(days[-number:])).size

    ((last,),) = fetch(session, "SELECT max(at) FROM trail WHERE rule_id = :rule", rule=rule_id)
    counts = tuple(messages.size for messages in days)
    return RuleWork(counts, taken(7), taken(len(days)), last)


#: Pairs of a message and a rule after whose last act a person changed it; undoing counts not.
_CHANGED_BY_HAND = (
    "WITH by_hand AS MATERIALIZED (SELECT j.entity_id AS message_id, max(r.at) AS at"
    " FROM {entries} WHERE j.entity = 'message' AND j.slot <> 'seen'"
    " AND r.actor IN ('person', 'elsewhere') AND r.undoes IS NULL AND r.undone_by IS NULL"
    " GROUP BY j.entity_id), pairs AS (SELECT h.message_id, t.rule_id FROM by_hand AS h"
    " CROSS JOIN trail AS t ON t.message_id = h.message_id WHERE {rules}"
    " GROUP BY h.message_id, t.rule_id HAVING max(t.at) <= max(h.at))"
)


def changed_by_hand(session: Session, message_ids: Sequence[int]) -> dict[int, set[int]]:
    """The rules after whose last act a person changed a message, by message."""
    entries = (
        f"journal AS j JOIN run AS r ON r.id = j.run_id AND j.entity_id IN ({_listed(message_ids)})"
    )
    pairs = _CHANGED_BY_HAND.format(entries=entries, rules="t.rule_id IS NOT NULL")
    rules: dict[int, set[int]] = {}
    for message_id, rule_id in fetch(session, f"{pairs} SELECT message_id, rule_id FROM pairs"):
        rules.setdefault(message_id, set()).add(rule_id)
    return rules


def left_to_hands(session: Session, rule_ids: Iterable[int]) -> dict[int, NDArray[np.int64]]:
    """The messages that a person changed after a rule's last act on them, by rule."""
    pairs = _CHANGED_BY_HAND.format(  # runs of a person are few beside all that rules have done
        entries="run AS r CROSS JOIN journal AS j ON j.run_id = r.id",
        rules=f"t.rule_id IN ({_listed(rule_ids)})",
    )
    # A row for each rule: a person may have changed all mail at once.
    rows = driver(session).execute(
        f"{pairs} SELECT rule_id, group_concat(message_id, ' ') FROM pairs GROUP BY rule_id"
    )
    return {rule_id: np.fromstring(listed, np.int64, sep=" ") for rule_id, listed in rows}


def _listed(ids: Iterable[int]) -> str:
    return ", ".join(str(int(key)) for key in ids)


def put_back_by_hand(session: Session, since: int) -> dict[int, list[int]]:
    """Messages for which a person took a rule's work back since, by rule, the newest first.

    Counted where what the rule did was turned round: put back, moved back or to the inbox, the
    label taken off, or undone for one message or for one rule; not by undoing a whole run, which
    says nothing of the rule, nor before the rule was last changed.
    """
    inboxes = ", ".join(f"'{key}'" for key in folders_with_role(session, "inbox"))
    rows = fetch(
        session,
        # A run that undoes a whole other one says nothing of a rule, however large it is.
        "WITH acts AS MATERIALIZED (SELECT id, at FROM run"
        " WHERE actor IN ('person', 'elsewhere') AND at >= :since AND undone_by IS NULL"
        " AND id NOT IN (SELECT undone_by FROM run WHERE undone_by IS NOT NULL)),"
        " changed AS (SELECT j.entity_id AS rule_id, max(r.at) AS at FROM journal AS j"
        " JOIN run AS r ON r.id = j.run_id WHERE j.entity = 'rule' AND j.before IS NOT NULL"
        " AND json_extract(j.before, '$.document') IS NOT json_extract(j.after, '$.document')"
        " GROUP BY j.entity_id)"
        " SELECT did.rule_id, back.entity_id, max(back.id) AS newest FROM acts AS r"
        " CROSS JOIN journal AS back ON back.run_id = r.id AND back.entity = 'message'"
        " AND back.slot IN ('folder_id', 'label')"
        " CROSS JOIN journal AS did ON did.entity = 'message' AND did.entity_id = back.entity_id"
        " AND did.slot = back.slot AND did.id < back.id AND did.rule_id IS NOT NULL"
        " AND did.after IS back.before AND (did.before IS back.after"
        f" OR (back.slot = 'folder_id' AND back.after IN ({inboxes})))"
        " LEFT JOIN changed ON changed.rule_id = did.rule_id"
        " WHERE r.at >= coalesce(changed.at, 0)"
        " GROUP BY did.rule_id, back.entity_id ORDER BY newest DESC",
        since=since,
    )
    messages: dict[int, list[int]] = {}
    for rule_id, message_id, _ in rows:
        messages.setdefault(rule_id, []).append(message_id)
    return messages
