"""``mnemic sort``: what rules would do with the mail in files. No database, nothing written."""

import json
import sys
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, tzinfo
from pathlib import Path
from typing import Any, get_args
from zoneinfo import ZoneInfo

import click
from pydantic import BaseModel

from mnemic.cli.owner import contacts_of
from mnemic.cli.owner import timezone as timezone_
from mnemic.cli.paths import PathArgument
from mnemic.core import (
    Circumstances,
    CompiledRules,
    Event,
    Given,
    MessageState,
    Outcome,
    ParsedMessage,
    Rule,
    RuleDocumentError,
    parse_message,
    read_rule_document,
    through_rules,
)
from mnemic.core.actions import reply_address
from mnemic.core.canonical import canonical_address
from mnemic.core.evaluation.matching import TestTrail
from mnemic.core.evaluation.outcome import RuleTrail
from mnemic.core.fields import Evidence
from mnemic.post import FileMessage, read_files

__all__ = ["sort"]

#: What a shell expects of a program that was called wrongly.
_USAGE_STATUS = 2


@dataclass(frozen=True, slots=True)
class _Owner:
    """Whose mail is sorted: addresses (the first is the account), contacts, time zone and now."""

    me: tuple[str, ...] = ()
    contacts: frozenset[str] = frozenset()
    timezone: tzinfo = UTC
    now: datetime | None = None


def _jsonable(model: BaseModel) -> Any:
    return model.model_dump(mode="json", by_alias=True, exclude_unset=True)


def _evidence(evidence: Evidence | None) -> dict[str, Any] | None:
    if evidence is None:
        return None
    return {"field": evidence.field, "value": evidence.value, "span": list(evidence.span)}


def _test_trail(trail: TestTrail) -> dict[str, Any]:
    if trail.condition is not None:
        condition = _jsonable(trail.condition)
        return {
            "condition": condition,
            "held": trail.held,
            "evidence": _evidence(trail.evidence),
        }
    inside = [_test_trail(inner) for inner in trail.inside]
    return {"group": trail.kind, "held": trail.held, "tests": inside}


def _rule_trail(trail: RuleTrail) -> dict[str, Any]:
    return {
        "rule": trail.name,
        "position": trail.position,
        "took": trail.took,
        "when": _test_trail(trail.when),
        "unless": None if trail.unless is None else _test_trail(trail.unless),
        "active": None if trail.active is None else _test_trail(trail.active),
        "actions": [
            {
                "action": _jsonable(action.action),
                "overruled_by": action.overruled_by,
                "held_back": action.held_back,
            }
            for action in trail.actions
        ],
    }


def _line(source: str, message: ParsedMessage, outcome: Outcome) -> dict[str, Any]:
    decided = outcome._asdict()
    del decided["trail"], decided["taken_by"]
    return {"source": source, "message_id": message.message_id, **decided}


class _Run:
    """One run: remembers who has written, and who has had an automatic answer."""

    def __init__(
        self, rules: Sequence[Rule], event: Event, owner: _Owner, *, explain: bool
    ) -> None:
        self._rules, self._event, self._explain = rules, event, explain
        self._compiled = CompiledRules(rules, event)
        self._account = owner.me[0] if owner.me else None
        self._senders: set[str] = set()
        self._answered: dict[str, datetime] = {}
        now = owner.now or datetime.now(UTC)
        self._circumstances = Circumstances(
            now=now,
            timezone=owner.timezone,
            me=frozenset(map(canonical_address, owner.me)),
            contacts=owner.contacts,
            earlier_senders=self._senders,
            answered=self._answered,
        )

    def one(self, file: FileMessage) -> dict[str, Any]:
        message = parse_message(file.octets, file_time=file.file_time)
        state = MessageState(self._account, seen=file.seen, flagged=file.flagged)
        given = Given(state, self._circumstances)
        if self._explain:
            outcome = through_rules(self._rules, message, self._event, given)
        else:
            outcome = self._compiled.decide(message, given)
        line = _line(file.source, message, outcome)
        if self._explain:
            line["trail"] = [_rule_trail(rule) for rule in outcome.trail]
        if outcome.reply and (sender := reply_address(message)) is not None:
            self._answered[sender] = self._circumstances.now
        self._senders.update(map(canonical_address, message.addresses.get("from", ())))
        return line


def _moment(
    _context: click.Context, _option: click.Parameter, value: str | None
) -> datetime | None:
    if value is None:
        return None
    try:
        moment = datetime.fromisoformat(value)
    except ValueError as error:
        raise click.BadParameter(f"{value!r} is no time like 2026-05-04T09:00:00+00:00") from error
    return moment if moment.tzinfo else moment.replace(tzinfo=UTC)


@click.command()
@click.option("--rules", "rules_file", required=True, type=PathArgument, metavar="RULES.json")
@click.option("--me", multiple=True, metavar="ADDRESS", help="An address of yours; repeatable.")
@click.option("--contacts", type=PathArgument, metavar="FILE.vcf", help="Your address book.")
@click.option("--now", callback=_moment, metavar="TIME", help="The time of the run (ISO 8601).")
@click.option("--timezone", callback=timezone_, default="UTC", show_default=True, metavar="ZONE")
@click.option("--event", type=click.Choice(get_args(Event)), default="arrival", show_default=True)
@click.option("--explain", is_flag=True, help="Add the trail: every condition and its evidence.")
@click.argument("paths", nargs=-1, required=True, type=PathArgument, metavar="PATH…")
def sort(
    rules_file: Path,
    me: tuple[str, ...],
    contacts: Path | None,
    now: datetime | None,
    timezone: ZoneInfo,
    event: Event,
    *,
    explain: bool,
    paths: tuple[Path, ...],
) -> None:
    """Say what rules would do with the mail in files: one JSON object per message, one per line.

    No database is used and nothing is written.
    """
    try:
        document = read_rule_document(rules_file.read_bytes())
        owner = _Owner(me, contacts_of(contacts), timezone, now)
    except OSError as error:
        click.echo(f"{error.filename}: {error.strerror}", err=True)
        sys.exit(_USAGE_STATUS)
    except RuleDocumentError as error:
        click.echo(f"{rules_file} can’t be used:\n{error}", err=True)
        sys.exit(_USAGE_STATUS)
    run, out = _Run(document.rules, event, owner, explain=explain), sys.stdout
    for file in read_files(paths):
        out.write(json.dumps(run.one(file)) + "\n")
