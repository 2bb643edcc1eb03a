"""``mnemic rules``, ``history`` and ``undo``: the line, what was done, and taking it back."""

import json
from datetime import UTC, datetime
from pathlib import Path

import click

from mnemic.cli.opened import opened
from mnemic.cli.paths import PathArgument
from mnemic.core import MnemicError, read_rule_document
from mnemic.jobs.line.line_changes import delete_rules, take_rules
from mnemic.jobs.line.rule_documents import document_of
from mnemic.jobs.shared.watched import refuse_watched_run
from mnemic.store.journal.history import list_runs
from mnemic.store.journal.undo import undo_run
from mnemic.store.line.rules import list_rules

__all__ = ["history", "rules", "undo"]

#: Who did it, in the words of the command line.
_ACTORS = {"housekeeping": "daily"}


class NothingToUndoError(MnemicError):
    """A run that is not there, or was undone."""


def _now() -> int:
    return int(datetime.now(UTC).timestamp())


@click.group()
def rules() -> None:
    """The rules of the line, from and to rule documents."""


@rules.command("import")
@click.argument("file", type=PathArgument)
@click.option("--replace", is_flag=True, help="Take those that are here away first.")
def import_(file: Path, *, replace: bool) -> None:
    """Add the rules of a document at the end of the line."""
    try:
        octets = file.read_bytes()
    except OSError as error:
        raise click.ClickException(f"{file}: {error.strerror}") from error
    document = read_rule_document(octets)
    with opened() as (_, database), database.writing() as session:
        there = [rule.id for rule in list_rules(session)] if replace else []
        if there:
            delete_rules(session, there, at=_now())
        take_rules(session, document.rules, {}, at=_now())
    count = len(document.rules)
    click.echo(f"{count} rule{'' if count == 1 else 's'} added")


@rules.command("export")
@click.argument("file", type=PathArgument, required=False)
def export(file: Path | None) -> None:
    """Write the line as a rule document, to a file or to standard output."""
    with opened() as (_, database), database.reading() as session:
        text = document_of(session).model_dump_json(indent=2, by_alias=True, exclude_defaults=True)
    if file is None:
        click.echo(text)
        return
    try:
        file.write_text(f"{text}\n", "utf-8")
    except OSError as error:
        raise click.ClickException(f"{file}: {error.strerror}") from error


@click.command()
@click.option("--json", "as_json", is_flag=True, help="One JSON object a line.")
@click.option("--limit", type=click.IntRange(1, 10_000), default=100, show_default=True)
def history(*, as_json: bool, limit: int) -> None:
    """What was done, the newest first."""
    with opened() as (_, database), database.reading() as session:
        for run in list_runs(session, before=None, limit=limit):
            at = datetime.fromtimestamp(run.at, UTC).isoformat()
            actor = _ACTORS.get(run.actor, run.actor)
            fields = {
                "run": run.id,
                "at": at,
                "actor": actor,
                "saying": run.saying,
                "messages": run.messages,
                "undone": bool(run.undone),
            }
            line = f"{run.id}\t{at}\t{actor}\t{run.saying}\t{run.messages}"
            click.echo(json.dumps(fields, ensure_ascii=False) if as_json else line)


@click.command()
@click.argument("run", type=int)
def undo(run: int) -> None:
    """Take back what a run did, for every message that nobody has changed since."""
    with opened() as (_, database), database.writing() as session:
        refuse_watched_run(session, run)
        undone = undo_run(session, run, at=_now())
    if undone is None:
        raise NothingToUndoError(f"there is no run {run}; see mnemic history")
    if undone.run_id is None:
        raise NothingToUndoError(undone.saying)
    click.echo(undone.saying)
