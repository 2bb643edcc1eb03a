"""``mnemic import``: mail into the mailbox, from files."""

from pathlib import Path

import click

from mnemic.cli.opened import opened
from mnemic.cli.paths import PathArgument
from mnemic.jobs.intake.import_desk import import_files
from mnemic.post import read_files

__all__ = ["import_mail"]


@click.command("import")
@click.option("--unsorted", is_flag=True, help="Leave the mail in the inbox; no rule looks at it.")
@click.argument("paths", nargs=-1, required=True, type=PathArgument, metavar="PATH…")
def import_mail(paths: tuple[Path, ...], *, unsorted: bool) -> None:
    """Take mail into the mailbox: .eml files, mbox files and Maildir folders.

    The mail passes through the rules as if it arrived. Nothing is imported where one of the files
    is not mail.
    """
    for _ in read_files(paths, only_mail=True):  # before even a database is made
        pass
    with opened() as (_, database):
        report = import_files(database, list(paths), sort=not unsorted)
    click.echo(f"{report.taken_in} taken in, {report.doubles} were here already")
