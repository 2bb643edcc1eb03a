"""``mnemic contacts``: the address book, from and to vCard files."""

from pathlib import Path

import click

from mnemic.cli.opened import opened
from mnemic.cli.paths import PathArgument
from mnemic.jobs.people.contact_cards import export_contacts, import_contacts

__all__ = ["contacts"]


@click.group()
def contacts() -> None:
    """The address book, from and to vCard files."""


@contacts.command("import")
@click.argument("file", type=PathArgument)
def import_contacts_(file: Path) -> None:
    """Take the contacts of a vCard file in."""
    try:
        octets = file.read_bytes()
    except OSError as error:
        raise click.ClickException(f"{file}: {error.strerror}") from error
    with opened() as (_, database), database.writing() as session:
        done = import_contacts(session, octets)
    click.echo(f"{done.added} added, {done.known} were here already")


@contacts.command("export")
def export_contacts_() -> None:
    """Print the address book as vCard."""
    with opened() as (_, database), database.reading() as session:
        click.echo(export_contacts(session), nl=False)
