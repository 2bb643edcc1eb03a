"""Our script on a server kept as the line is; what others did to it is left alone."""

import time
from dataclasses import dataclass, field, replace

from mnemic.jobs.server.line_as_script import LineScript, line_as_script
from mnemic.jobs.server.passing import scripts_access
from mnemic.post.failures import AccessRefusedError, CommandRefusedError, ServerError
from mnemic.post.managesieve import ScriptServer, managing_scripts
from mnemic.store import Database
from mnemic.store.server.connections import Connection, connection_of
from mnemic.store.server.secret_key import SecretKey
from mnemic.store.server.server_scripts import ServerScript, keep_server_script, server_script

__all__ = ["ScriptUpkeep"]

#: Seconds between two looks at a script where nothing of the line has changed.
_LOOKS_EVERY = 60.0


@dataclass
class ScriptUpkeep:
    """Keeps the scripts of accounts in step; each was looked at last at a time of the clock."""

    looked: dict[int, float] = field(default_factory=dict)

    def settle(self, database: Database, account_id: int, key: SecretKey) -> None:
        """Before mail is taken in, find out who sorted it where handing over was broken off."""
        with database.reading() as session:
            script = server_script(session, account_id)
        if script is not None and script.runs == "handing over":
            self.keep(database, account_id, key)

    def keep(self, database: Database, account_id: int, key: SecretKey) -> None:
        """Look at an account's script where that is due, and put the line there anew.

        Nothing is raised for what is wrong with the server: the script's trouble says it.
        """
        with database.reading() as session:
            script = server_script(session, account_id)
            if script is None or not script.sorts_there or script.refused:
                return
            connection = connection_of(session, account_id, key)
            if connection is None:
                return
            written = line_as_script(session, connection, script.capabilities)
        looked = self.looked.get(account_id, -_LOOKS_EVERY)
        begun = script.runs != "server" or written.octets != script.put
        due = begun and script.trouble is None
        if not due and time.monotonic() - looked < _LOOKS_EVERY:
            return
        self.looked[account_id] = time.monotonic()
        now = _InStep(database, connection, script).made()
        if now != script:
            with database.writing() as session:
                keep_server_script(session, now)


@dataclass
class _InStep:
    """One look at a script: ``made`` is how it is kept from now on."""

    database: Database
    connection: Connection
    script: ServerScript

    def made(self) -> ServerScript:
        """Look, and put the line there where it has changed and nobody else has changed it."""
        access = scripts_access(self.connection.reach, self.script.place)
        try:
            with managing_scripts(access) as server:
                return self._looked(server)
        except AccessRefusedError as error:
            return replace(self.script, trouble=f"rules there: {error}", refused=True)
        except ServerError as error:
            return replace(self.script, trouble=f"rules there: {error}")

    def _looked(self, server: ScriptServer) -> ServerScript:
        script, active = self.script, server.scripts().active
        if script.runs == "bringing back" and active != script.name:
            return _at_rest(script)
        if active != script.name:
            if script.runs == "handing over":
                return _at_rest(script)
            if active is None:
                return _asking(script, "no script runs on the server any more")
            return _asking(
                script, f"the script “{active}” runs on the server now, and not the rules"
            )
        theirs = server.get(script.name)
        if theirs not in (script.put, script.putting) or theirs is None:
            return _asking(script, f"somebody has changed the script “{script.name}” on the server")
        script = replace(script, runs="server", put=theirs, trouble=None, asks=False)
        return self._put(server, script, theirs)

    def _put(self, server: ScriptServer, script: ServerScript, theirs: bytes) -> ServerScript:
        """Put the line there as it is now, where it is another one."""
        with self.database.reading() as session:
            written = line_as_script(session, self.connection, server.extensions)
        if written.octets == theirs:
            return _as_written(script, server, written)
        try:
            server.check(written.octets)
            with self.database.writing() as session:  # the answer may be lost
                keep_server_script(session, replace(script, putting=written.octets))
            self.script = replace(script, putting=written.octets)
            server.put(script.name, written.octets)
        except CommandRefusedError as error:
            said = f"the server goes on with the rules as they were: {error}"
            return replace(script, trouble=said)
        return _as_written(script, server, written)


def _at_rest(script: ServerScript) -> ServerScript:
    """Rules run here: nothing of ours runs there."""
    return replace(script, runs="here", rules=(), inbox=None, trouble=None, asks=False)


def _asking(script: ServerScript, saying: str) -> ServerScript:
    return replace(script, trouble=saying, asks=True)


def _as_written(script: ServerScript, server: ScriptServer, written: LineScript) -> ServerScript:
    return replace(
        script,
        put=written.octets,
        putting=None,
        rules=written.rules,
        capabilities=server.extensions,
    )
