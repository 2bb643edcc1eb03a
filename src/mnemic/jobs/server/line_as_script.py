"""The line as a script for a connected account's server, and which of its rules that carries."""

from dataclasses import dataclass

from sqlmodel import Session

from mnemic.core import Rule
from mnemic.core.sieve import RuleGrade, Setting, written_script
from mnemic.jobs.server.script_setting import script_setting
from mnemic.store.line.rules import standing_line
from mnemic.store.server.connections import Connection
from mnemic.store.server.server_scripts import CarriedRule

__all__ = ["LineScript", "line_as_script"]


@dataclass(frozen=True, slots=True)
class LineScript:
    """A script, the rules that it carries, and how near it comes to each of the line."""

    octets: bytes
    rules: tuple[CarriedRule, ...]
    grades: tuple[RuleGrade, ...]


#: What was written last for each account, and of what: each pass asks for it. Rules are told apart
#: by being the same objects, as the line gives them while it stands.
_WRITTEN: dict[int, tuple[tuple[Rule, ...], Setting, LineScript]] = {}


def line_as_script(
    session: Session, connection: Connection, capabilities: frozenset[str]
) -> LineScript:
    """Write the line for a server that can do what is named."""
    line, key = standing_line(session), connection.account.id
    setting = script_setting(session, connection, capabilities)
    known = _WRITTEN.get(key)
    if known is not None and known[0] is line.rules and known[1] == setting:
        return known[2]
    script = written_script(line.rules, setting)
    places = [grade.position for grade in script.grades if grade.written]
    carried = tuple(CarriedRule(line.ids[at], line.rules[at]) for at in places)
    written = LineScript(script.text.encode("utf-8"), carried, script.grades)
    _WRITTEN[key] = line.rules, setting, written
    return written
