"""Whether rules act in a connected account, or it is only watched."""

from sqlmodel import Session

from mnemic.core import MnemicError
from mnemic.store.server.connections import Connection, set_acting
from mnemic.store.server.server_scripts import server_script

__all__ = ["RulesThereError", "let_act"]


class RulesThereError(MnemicError):
    """An account that is to be only watched, while its server runs the rules."""


def let_act(session: Session, connection: Connection, *, acting: bool) -> None:
    """Let rules act, or only watch. Raises RulesThereError where the server runs them."""
    script = server_script(session, connection.account.id)
    if not acting and script is not None and script.sorts_there:
        name = connection.account.name
        raise RulesThereError(f"the server of “{name}” runs its rules; bring them back first")
    set_acting(session, connection.account.id, acting)
