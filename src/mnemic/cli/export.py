"""``mnemic export``: mail out of the mailbox into open formats."""

from collections.abc import Iterator
from pathlib import Path

import click

from mnemic.cli.opened import opened
from mnemic.cli.paths import PathArgument
from mnemic.jobs.people.mail_export import exported_messages
from mnemic.jobs.shared.selection import NothingMeantError, selection_named
from mnemic.post import ExportedMessage, mbox_octets, write_maildir

__all__ = ["export"]


def _export_mail(
    target: Path,
    form: str,
    *,
    folder: str | None,
    label: str | None,
    find: str | None,
) -> int:
    """Write mail to an mbox file or a Maildir folder; how many messages were written.

    Raises NothingMeantError where nothing is meant or the mbox exists, ExportError where the
    target can't be written.
    """
    with opened() as (_, database), database.reading() as session:
        which = selection_named(session, folder=folder, label=label, find=find)
        messages = exported_messages(session, which)
        if form == "maildir":
            return write_maildir(target, messages)
        return _write_mbox(target, messages)


def _write_mbox(target: Path, messages: Iterator[ExportedMessage]) -> int:
    count = 0
    try:
        with target.open("xb") as file:
            for piece in mbox_octets(messages):
                file.write(piece)
                count += 1
    except FileExistsError as error:
        raise NothingMeantError(f"{target} is there already; name another file") from error
    except OSError as error:
        raise NothingMeantError(f"{target}: {error.strerror}") from error
    return count


@click.command()
@click.option("--folder", metavar="PATH", help="The mail of one folder, as Moorings/Permits.")
@click.option("--label", metavar="NAME", help="The mail with one label.")
@click.option("--find", metavar="SEARCH", help="What a search finds, as typed into Find.")
@click.option("--format", "form", type=click.Choice(["mbox", "maildir"]), default="mbox")
@click.argument("target", type=PathArgument)
def export(
    folder: str | None, label: str | None, find: str | None, form: str, target: Path
) -> None:
    """Write mail to TARGET: an mbox file or a Maildir folder. Without an option, all mail.

    An mbox that is there is left alone; into a Maildir, mail is added.
    """
    count = _export_mail(target, form, folder=folder, label=label, find=find)
    click.echo(f"{count} written to {target}")
