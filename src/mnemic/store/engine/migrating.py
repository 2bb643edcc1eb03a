"""A mailbox that an older Mnemic made is brought up to date.

Alembic is loaded only where something is to be done: most often a mailbox is as it should be.
"""

from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory
from sqlalchemy import Connection

__all__ = ["known_versions", "migrate"]


def _config() -> Config:
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parents[1] / "migrations"))
    return config


def known_versions() -> list[str]:
    """Every version that a mailbox may have, the newest first."""
    scripts = ScriptDirectory.from_config(_config()).walk_revisions()
    return [script.revision for script in scripts]


def migrate(connection: Connection) -> None:
    """Bring the tables of an empty or an older mailbox to the newest version."""
    config = _config()
    config.attributes["connection"] = connection
    command.upgrade(config, "head")
