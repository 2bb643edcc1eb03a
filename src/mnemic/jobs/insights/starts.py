"""Starts: usual rules, filled in from this mailbox, for whoever makes the first ones."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlmodel import Session

from mnemic.core import Rule, read_rule
from mnemic.core.proposals import StandingRule
from mnemic.core.rules import conditions_in
from mnemic.jobs.insights.learnt_mail import MailboxMail
from mnemic.store.owner.accounts import list_accounts
from mnemic.store.owner.preferences import read_preferences

__all__ = ["Start", "starts_for"]

#: Newsletters are looked into every two weeks; whoever is away is so for as long.
_TWO_WEEKS = 14

#: Aliases that are offered a folder.
_ALIASES = 2

#: A rule of the line that takes so much of the mail has said what happens to it.
_SAID = 0.5


@dataclass(frozen=True, slots=True)
class Start:
    """A usual rule, what it is for, and how many messages that are here it takes.

    Where it files in a folder to look into, ``look_in_days`` is how often.
    """

    title: str
    rule: Rule
    takes: int
    look_in_days: int | None = None


def _rule(name: str, when: dict[str, Any], *then: dict[str, Any], **more: Any) -> Rule:
    return read_rule({"name": name, "when": when, "then": list(then), **more})


def _is(field: str, value: str) -> dict[str, Any]:
    return {"field": field, "test": "is", "values": [value]}


def _of_aliases(session: Session) -> Iterator[tuple[str, Rule]]:
    for account in list_accounts(session):
        for alias in account.aliases:
            name = alias.partition("@")[0].capitalize()
            rule = _rule(name, _is("recipient", alias), {"do": "file", "folder": name})
            yield f"Mail to {alias} into a folder of its own", rule


def _newsletters() -> Rule:
    filed = {"do": "file", "folder": "Reading/Newsletters"}
    return _rule("Newsletters", _is("kind", "newsletter"), filed)


def _reports() -> Rule:
    does = ({"do": "label", "label": "Report"}, {"do": "read"})
    return _rule("Machines’ reports", _is("kind", "notification"), *does)


def _away(session: Session, now: datetime) -> Rule:
    today = now.astimezone(read_preferences(session).zone).date()
    last = today + timedelta(days=_TWO_WEEKS)
    text = "I am away and read mail again after that. Thank you for your patience."
    return _rule(
        "Away",
        _is("addressed", "to_me"),
        {"do": "reply", "subject": "Away", "text": text, "every": 7},
        active={"from": today.isoformat(), "until": last.isoformat()},
    )


class _Counting:
    """Counts what a rule takes, and whether the line has said already what happens to it."""

    def __init__(self, mail: MailboxMail, line: list[StandingRule]) -> None:
        self._mail, self._line = mail, line

    def start(self, title: str, rule: Rule, look_in_days: int | None = None) -> Start | None:
        """The start; None where there is no such mail, or a rule for most of it."""
        taken = self._mail.there
        for held in self._mail.holding(list(conditions_in(rule.when))):
            taken &= held
        count = taken.bit_count()
        if not count or any(
            (standing.taken & taken).bit_count() > _SAID * count for standing in self._line
        ):
            return None
        return Start(title, rule, count, look_in_days)


def starts_for(
    session: Session, *, now: datetime, check: Callable[[], None] = lambda: None
) -> list[Start]:
    """Usual rules for the mail that is here.

    ``check`` is called now and then; what it raises ends the work.
    """
    mail = MailboxMail(session, now, check)
    counting = _Counting(mail, mail.standing())
    aliases = [counting.start(*usual) for usual in _of_aliases(session)]
    largest = sorted((start for start in aliases if start), key=lambda usual: -usual.takes)
    title = "Newsletters out of the way, to look into every two weeks"
    others = [
        counting.start(title, _newsletters(), _TWO_WEEKS),
        counting.start("Machines’ reports labelled and read", _reports()),
        counting.start(
            "What is sent only to me flagged",
            _rule("Only to me", _is("addressed", "only_me"), {"do": "flag"}),
        ),
    ]
    # It is for mail that is still to come: what a rule does with such mail now is no reason.
    away = Start("An answer while I am away", _away(session, now), 0)
    return [*largest[:_ALIASES], *(start for start in others if start), away]
