"""Where the rules of a connected account run, and the script that is on its server for them."""

import json
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, Literal, NamedTuple, TypeAlias, cast

from sqlmodel import Session

from mnemic.core import Rule
from mnemic.core.rules.reading import read_stored_rule
from mnemic.store.engine.server_tables import ServerScriptRow
from mnemic.store.engine.sql import execute, fetch

__all__ = [
    "CarriedRule",
    "RunsWhere",
    "ScriptPlace",
    "ServerScript",
    "keep_server_script",
    "script_troubles",
    "scripts_are_tried_again",
    "server_script",
]

#: Where rules run. "handing over" and "bringing back" are begun, and the server has yet to be
#: asked what came of it.
RunsWhere: TypeAlias = Literal["here", "handing over", "server", "bringing back"]


class CarriedRule(NamedTuple):
    """A rule that a script carries, as it was when that was put, and its id in the line."""

    id: int
    rule: Rule


@dataclass(frozen=True, slots=True)
class ScriptPlace:
    """Where scripts are kept; user and password are those of the account's mail."""

    host: str
    port: int
    security: Literal["tls", "starttls", "none"]


@dataclass(frozen=True, slots=True)
class ServerScript:
    """Where an account's rules run, and our script on its server, called ``name`` there.

    ``put`` is that script as it was put there last; ``putting`` is one that may be there instead,
    since the answer was lost. ``rules`` are those that it carries, in the line's order.
    ``before_name`` is the script that ran before, None where none did, with its octets.

    ``inbox`` is UIDVALIDITY and UIDNEXT of the inbox when it began to run, at ``since`` seconds
    after 1970-01-01 UTC. ``trouble`` says what is wrong with it; where it ``asks`` nothing is done
    before the owner has chosen. ``refused``: the password was, and is not tried again unasked.
    """

    account_id: int
    place: ScriptPlace
    name: str
    runs: RunsWhere = "here"
    capabilities: frozenset[str] = frozenset()
    put: bytes | None = None
    putting: bytes | None = None
    rules: tuple[CarriedRule, ...] = ()
    before_name: str | None = None
    before: bytes | None = None
    inbox: tuple[int, int] | None = None
    since: int = 0
    trouble: str | None = None
    asks: bool = False
    refused: bool = False

    @property
    def sorts_there(self) -> bool:
        """Whether the server may run it: what it carries does not run here, too."""
        return self.runs != "here"


def server_script(session: Session, account_id: int) -> ServerScript | None:
    """Where an account's rules run; None where no server of scripts was ever named."""
    row = session.get(ServerScriptRow, account_id, populate_existing=True)
    if row is None:
        return None
    inbox = None
    if row.inbox_validity is not None:
        inbox = (row.inbox_validity, row.inbox_uidnext or 1)
    return ServerScript(
        account_id,
        ScriptPlace(row.host, row.port, row.security),  # type: ignore[arg-type] # nothing else is kept
        row.name,
        cast("RunsWhere", row.runs),
        frozenset(row.capabilities.split()),
        row.put,
        row.putting,
        tuple(_rules(row.rules)),
        row.before_name,
        row.before,
        inbox,
        row.since,
        row.trouble,
        row.asks,
        row.refused,
    )


def keep_server_script(session: Session, script: ServerScript) -> None:
    """Keep where an account's rules run, and the script for them."""
    validity, uidnext = script.inbox or (None, None)
    values: dict[str, Any] = {
        "host": script.place.host,
        "port": script.place.port,
        "security": script.place.security,
        "capabilities": " ".join(sorted(script.capabilities)),
        "runs": script.runs,
        "name": script.name,
        "put": script.put,
        "putting": script.putting,
        "rules": _document(script.rules),
        "before_name": script.before_name,
        "before": script.before,
        "inbox_validity": validity,
        "inbox_uidnext": uidnext,
        "since": script.since,
        "trouble": script.trouble,
        "asks": script.asks,
        "refused": script.refused,
    }
    row = session.get(ServerScriptRow, script.account_id, populate_existing=True)
    if row is None:
        session.add(ServerScriptRow(account_id=script.account_id, **values))
    else:
        for name, value in values.items():
            if getattr(row, name) != value:  # else whoever waits for changes would wake
                setattr(row, name, value)
    session.flush()


def script_troubles(session: Session) -> dict[int, str]:
    """What is wrong with the scripts of accounts, by account."""
    asked = "SELECT account_id, trouble FROM server_script WHERE trouble IS NOT NULL"
    return dict(fetch(session, asked))


def scripts_are_tried_again(session: Session, account_id: int) -> None:
    """Note that what was refused may be tried: the owner has seen to it."""
    execute(session, "UPDATE server_script SET refused = 0 WHERE account_id = :id", id=account_id)


def _document(rules: Iterable[CarriedRule]) -> str:
    return json.dumps(
        [{"id": rule.id, "rule": rule.rule.model_dump_json(by_alias=True)} for rule in rules],
        ensure_ascii=False,
    )


def _rules(document: str) -> Iterable[CarriedRule]:
    for carried in json.loads(document):
        yield CarriedRule(carried["id"], read_stored_rule(carried["rule"]))
