"""``mnemic backup``, ``check`` and ``reindex``: the mailbox itself is looked after."""

from datetime import UTC, datetime
from pathlib import Path

import click

from mnemic.cli.opened import opened
from mnemic.cli.paths import PathArgument
from mnemic.jobs.line.answers_check import check_answers
from mnemic.jobs.line.reindexing import reindex_all
from mnemic.settings import read_settings
from mnemic.store.engine.backup import back_up, check_database

__all__ = ["backup", "check", "reindex"]


@click.command()
@click.argument("file", type=PathArgument)
def backup(file: Path) -> None:
    """Copy the mailbox to FILE, whole, while it is in use. A copy of it back restores it."""
    back_up(read_settings().database, file)
    click.echo(f"The mailbox is copied to {file}")


@click.command()
def check() -> None:
    """Look whether the mailbox is in order: the file, its references, messages and journal.

    Of a sample of messages, also whether searches and rules find what the messages say.
    """
    problems = list(check_database(read_settings().database))
    if not problems:
        with opened() as (_, database), database.reading() as session:
            problems = list(check_answers(session, datetime.now(UTC)))
    for problem in problems:
        click.echo(problem)
    if problems:
        raise SystemExit(1)
    click.echo("The mailbox is in order")


@click.command()
def reindex() -> None:
    """Make anew what searches look at, from the messages as they came.

    Mnemic may run meanwhile, but has to be started anew afterwards.
    """
    with opened() as (_, database):
        click.echo(f"Indexed {reindex_all(database)} messages anew")
