"""What a connected account's server could run of the line: looked at, and nothing is changed."""

from dataclasses import dataclass

from mnemic.jobs.server.line_as_script import LineScript, line_as_script
from mnemic.jobs.server.passing import scripts_access
from mnemic.post.failures import CommandRefusedError
from mnemic.post.managesieve import Listed, managing_scripts
from mnemic.store import Database
from mnemic.store.server.connections import Connection
from mnemic.store.server.server_scripts import ScriptPlace

__all__ = ["ScriptPreview", "preview_script"]


@dataclass(frozen=True, slots=True)
class ScriptPreview:
    """The line as a script for the server, the scripts that are there, and what the server says of
    ours: None where it would take it.
    """

    script: LineScript
    there: Listed
    refused: str | None


def preview_script(database: Database, connection: Connection, place: ScriptPlace) -> ScriptPreview:
    """Ask a server what it can do, write the line for it, and let it check that.

    Nothing is kept, here or there. Raises ServerError.
    """
    with managing_scripts(scripts_access(connection.reach, place)) as server:
        with database.reading() as session:
            script = line_as_script(session, connection, server.extensions)
        there, refused = server.scripts(), None
        try:
            server.check(script.octets)
        except CommandRefusedError as error:
            refused = str(error)
        return ScriptPreview(script, there, refused)
