"""The line as a script for a connected account's server, and which of its rules that carries."""

from dataclasses import dataclass

from sqlmodel import Session

from mnemic.core.sieve import RuleGrade, written_script
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


def line_as_script(
    session: Session, connection: Connection, capabilities: frozenset[str]
) -> LineScript:
    """Write the line for a server that can do what is named."""
    line = standing_line(session)
    script = written_script(line.rules, script_setting(session, connection, capabilities))
    places = [each.position for each in script.grades if each.written]
    carried = tuple(CarriedRule(line.ids[at], line.rules[at]) for at in places)
    return LineScript(script.text.encode("utf-8"), carried, script.grades)
