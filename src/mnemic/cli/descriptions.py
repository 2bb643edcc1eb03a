"""``mnemic schema``, ``catalogue`` and ``openapi``: what Mnemic takes, for programs to read."""

import json
from pathlib import Path
from tempfile import TemporaryDirectory

import click

from mnemic.core.catalogue import catalogue as all_fields_and_actions
from mnemic.core.rules.schema import rule_schema

__all__ = ["catalogue", "openapi", "schema"]


@click.command()
def schema() -> None:
    """Print the JSON Schema of the rule document."""
    click.echo(json.dumps(rule_schema(), indent=2))


@click.command()
def catalogue() -> None:
    """Print the condition fields and actions as the editor is told of them."""
    click.echo(json.dumps(all_fields_and_actions(), ensure_ascii=False, indent=2))


@click.command()
def openapi() -> None:
    """Print the description of the HTTP API (OpenAPI 3.1)."""
    from mnemic.api import EventBus, create_app
    from mnemic.jobs.catch_up.worker import Worker
    from mnemic.jobs.intake.import_desk import ImportDesk
    from mnemic.jobs.server.passes import Passes
    from mnemic.store import Database
    from mnemic.store.server.secret_key import SecretKey

    with TemporaryDirectory() as folder:
        database = Database(Path(folder) / "mailbox.sqlite3")
        desk, worker = ImportDesk(database, Path()), Worker(database, Path(folder) / "queue")
        key, smtp = SecretKey(b"of nothing"), ("127.0.0.1", 0)
        passes = Passes(database, lambda: key, Path(folder), 1)
        app = create_app(database, EventBus(), desk, worker, port=0, smtp=smtp, passes=passes)
        click.echo(json.dumps(app.api_doc, indent=2))
