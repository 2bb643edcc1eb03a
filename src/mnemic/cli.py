"""The command line."""

import json
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any, get_args

import click

from mnemic import __version__
from mnemic.api import EventBus, create_app
from mnemic.core import (
    Event,
    MnemicError,
    Outcome,
    Rule,
    RuleDocumentError,
    parse_message,
    read_rule_document,
    through_rules,
)
from mnemic.demo import load_demo
from mnemic.jobs import import_messages
from mnemic.post import FileMessage, read_files
from mnemic.server import Server, check_ports
from mnemic.settings import read_settings
from mnemic.store import Database

__all__ = ["main"]

#: What a shell expects of a program that was called wrongly.
_USAGE_STATUS = 2

PathArgument = click.Path(path_type=Path)


class _Group(click.Group):
    """Tells every error of Mnemic's own as one message, without a traceback."""

    def invoke(self, ctx: click.Context) -> Any:
        try:
            return super().invoke(ctx)
        except RuleDocumentError as error:
            click.echo(str(error), err=True)
            ctx.exit(_USAGE_STATUS)
        except MnemicError as error:
            click.echo(f"mnemic: {error}", err=True)
            ctx.exit(1)


@click.group(cls=_Group)
@click.version_option(__version__, prog_name="mnemic")
def main() -> None:
    """Mail rules with evidence before and a trail after."""


@main.command()
def serve() -> None:
    """Run Mnemic and answer the browser."""
    _serve()


def _serve() -> None:
    settings = read_settings()
    with Server(settings) as server:
        click.echo(f"Mnemic is at {server.address}")
        click.echo(f"Mail comes in by SMTP on {settings.host}, port {server.smtp_port}")
        click.echo("Stop it with Ctrl+C")
        try:
            server.serve()
        except KeyboardInterrupt:
            click.echo("Stopped")


@main.command()
@click.option("--reset", is_flag=True, help="Start afresh: delete the demo's mail and rules first.")
@click.option("--load-only", is_flag=True, help="Make the demo mailbox and leave it at that.")
def demo(*, reset: bool, load_only: bool) -> None:
    """Run Mnemic on a made-up office's mail (made at the first run, kept after)."""
    settings = read_settings()
    if reset:
        check_ports(settings)  # a database is not to be taken from under a server
    made = load_demo(settings.database, reset=reset)
    if made:
        click.echo(f"Made the demo mailbox: {made} messages")
    if not load_only:
        _serve()


@main.command("import")
@click.option("--unsorted", is_flag=True, help="Leave the mail in the inbox; no rule looks at it.")
@click.argument("paths", nargs=-1, required=True, type=PathArgument, metavar="PATH…")
def import_(paths: tuple[Path, ...], *, unsorted: bool) -> None:
    """Take mail into the mailbox: .eml files, mbox files and Maildir folders.

    The mail passes through the rules as if it arrived. Nothing is imported where one of the files
    is not mail.
    """
    for _ in read_files(paths, only_mail=True):  # look at everything before anything is changed
        pass
    database = Database(read_settings().database)
    try:
        report = import_messages(database, read_files(paths, only_mail=True), sort=not unsorted)
    finally:
        database.close()
    click.echo(f"{report.taken_in} taken in, {report.doubles} were here already")


def _outcome_line(message: FileMessage, message_id: str | None, outcome: Outcome) -> dict[str, Any]:
    return {
        "source": message.source,
        "message_id": message_id,
        "rules": [rule.name for rule in outcome.taken_by],
        "place": outcome.place,
        "folder": outcome.folder,
        "copies": [],
        "labels": list(outcome.labels),
        "unlabels": [],
        "seen": None,
        "flagged": None,
        "colour": None,
        "priority": None,
        "forward": [],
        "reply": False,
        "notify": [],
        "stopped_by": outcome.stopped_by,
    }


def _sorted_lines(
    rules: tuple[Rule, ...], messages: Iterator[FileMessage], event: Event, account: str | None
) -> Iterator[dict[str, Any]]:
    for message in messages:
        parsed = parse_message(message.octets)
        outcome = through_rules(rules, parsed, event, account)
        yield _outcome_line(message, parsed.message_id, outcome)


@main.command()
@click.option("--rules", "rules_file", required=True, type=PathArgument, metavar="RULES.json")
@click.option("--me", multiple=True, metavar="ADDRESS", help="An address of yours.")
@click.option("--event", type=click.Choice(get_args(Event)), default="arrival", show_default=True)
@click.argument("paths", nargs=-1, required=True, type=PathArgument, metavar="PATH…")
def sort(rules_file: Path, me: tuple[str, ...], event: Event, paths: tuple[Path, ...]) -> None:
    """Say what rules would do with the mail in files: one JSON object per message, one per line.

    No database is used and nothing is written.
    """
    try:
        document = read_rule_document(rules_file.read_bytes())
    except OSError as error:
        click.echo(f"{rules_file}: {error.strerror}", err=True)
        sys.exit(_USAGE_STATUS)
    for line in _sorted_lines(document.rules, read_files(paths), event, me[0] if me else None):
        click.echo(json.dumps(line))


@main.command()
def openapi() -> None:
    """Print the description of the HTTP API (OpenAPI 3.1)."""
    database = Database(Path(":memory:"))
    app = create_app(database, EventBus(), port=0)
    click.echo(json.dumps(app.api_doc, indent=2))
