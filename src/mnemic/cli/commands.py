"""The command line."""

import json
import sys
from datetime import UTC, datetime
from importlib import import_module
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TYPE_CHECKING, Any, get_args
from zoneinfo import ZoneInfo

import click

from mnemic import __version__
from mnemic.cli.heaps import share_heaps
from mnemic.cli.owner import contacts_of
from mnemic.cli.owner import timezone as timezone_
from mnemic.cli.sort import Owner, sorted_messages
from mnemic.core import Event, MnemicError, RuleDocumentError, read_rule_document
from mnemic.core.catalogue import catalogue as all_fields_and_actions
from mnemic.core.rules.schema import rule_schema
from mnemic.post import read_files
from mnemic.settings import read_settings

if TYPE_CHECKING:
    from mnemic.post.imap.other_device import Elsewhere

__all__ = ["main"]

#: What a shell expects of a program that was called wrongly.
_USAGE_STATUS = 2

PathArgument = click.Path(path_type=Path)


#: Commands in modules of their own, with what they need: loaded when they are asked for.
_APART = {
    "account": "accounts:account",
    "folder": "folders:folder",
    "history": "line:history",
    "list": "mail_list:list_mail",
    "rules": "line:rules",
    "sieve": "sieve:sieve",
    "stand-in": "stand_in:stand_in",
    "sync": "sync:sync",
    "undo": "line:undo",
}


class _Group(click.Group):
    """Tells every error of Mnemic's own as one message, without a traceback."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return sorted([*super().list_commands(ctx), *_APART])

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in _APART:
            return super().get_command(ctx, cmd_name)
        module, name = _APART[cmd_name].split(":")
        command: click.Command = getattr(import_module(f"mnemic.cli.{module}"), name)
        return command

    def invoke(self, ctx: click.Context) -> Any:
        try:
            return super().invoke(ctx)
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
    share_heaps()
    _serve()


def _serve(elsewhere: "Elsewhere | None" = None) -> None:
    # What serves is loaded only where something is served: `sort` starts in half the time.
    from mnemic.server import Server

    settings = read_settings()
    with Server(settings, elsewhere) as server:
        click.echo(f"Mnemic is at {server.address}")
        click.echo(f"Mail comes in by SMTP on {settings.host}, port {server.smtp_port}")
        click.echo("Stop it with Ctrl+C")
        try:
            server.serve_alone()
        except KeyboardInterrupt:
            click.echo("Stopped")


@main.command()
@click.option("--reset", is_flag=True, help="Start afresh: delete the demo's mail and rules first.")
@click.option("--load-only", is_flag=True, help="Make the demo mailbox and leave it at that.")
def demo(*, reset: bool, load_only: bool) -> None:
    """Run Mnemic on a made-up office's mail (made at the first run, kept after)."""
    share_heaps()
    from mnemic.demo import load_demo
    from mnemic.demo.on_a_server import on_a_server
    from mnemic.server import check_ports, secret_key
    from mnemic.store import Database

    settings = read_settings()
    if reset:
        check_ports(settings)  # a database is not to be taken from under a server
    made = load_demo(settings.database, reset=reset)
    if made:
        click.echo(f"Made the demo mailbox: {made} messages")
    if load_only:
        return
    database = Database(settings.database)
    with on_a_server(settings.data / "stand-in", database, secret_key(settings)) as elsewhere:
        database.close()
        click.echo(f"Its account is on a simulated server at {elsewhere.access.address}")
        _serve(elsewhere)


@main.command("import")
@click.option("--unsorted", is_flag=True, help="Leave the mail in the inbox; no rule looks at it.")
@click.argument("paths", nargs=-1, required=True, type=PathArgument, metavar="PATH…")
def import_(paths: tuple[Path, ...], *, unsorted: bool) -> None:
    """Take mail into the mailbox: .eml files, mbox files and Maildir folders.

    The mail passes through the rules as if it arrived. Nothing is imported where one of the files
    is not mail.
    """
    from mnemic.jobs.intake.import_desk import import_files
    from mnemic.store import Database

    for _ in read_files(paths, only_mail=True):  # before even a database is made
        pass
    database = Database(read_settings().database)
    try:
        report = import_files(database, list(paths), sort=not unsorted)
    finally:
        database.close()
    click.echo(f"{report.taken_in} taken in, {report.doubles} were here already")


@main.command()
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
    from mnemic.cli.export import export_mail

    settings = read_settings()
    count = export_mail(settings, target, form, folder=folder, label=label, find=find)
    click.echo(f"{count} written to {target}")


@main.command("catch-up")
@click.option(
    "--rule", "rules", multiple=True, metavar="NAME", help="A rule; else all that are on."
)
@click.option("--folder", metavar="PATH", help="The mail of one folder and of those below it.")
@click.option("--alone", is_flag=True, help="The folder alone, without those below it.")
@click.option("--find", metavar="SEARCH", help="What a search finds, as typed into Find.")
@click.option("--since", type=click.DateTime(["%Y-%m-%d"]), help="Received on that day or later.")
@click.option("--until", type=click.DateTime(["%Y-%m-%d"]), help="Received before that day.")
@click.option("--also-moved", is_flag=True, help="Also what you changed after a rule acted on it.")
@click.option("--take-left", is_flag=True, help="Also what rules above them place or stop.")
@click.option("--everywhere", is_flag=True, help="Also the mail in Sent, Junk and Trash.")
@click.option("--yes", is_flag=True, help="Don’t ask before much of the mail moves.")
@click.option("--dry-run", is_flag=True, help="Only tell what would happen.")
def catch_up(
    rules: tuple[str, ...],
    folder: str | None,
    find: str | None,
    since: datetime | None,
    until: datetime | None,
    *,
    alone: bool,
    also_moved: bool,
    take_left: bool,
    everywhere: bool,
    yes: bool,
    dry_run: bool,
) -> None:
    """Apply rules to mail already here. Each catch-up can be undone.

    Without --folder or --find, to all mail but what lies in Sent, Junk and Trash.
    """
    from mnemic.cli.catch_up import Asked, catch_up_mail

    asked = Asked(
        rules,
        folder,
        not alone,
        find,
        since,
        until,
        everywhere=everywhere,
        respects=not also_moved,
        takes_left=take_left,
    )

    def sure(question: str) -> bool:
        # Only a person can be asked; who writes a script has said what is wanted.
        return yes or not sys.stdin.isatty() or click.confirm(f"{question}. Go on?", err=True)

    for line in catch_up_mail(read_settings(), asked, dry_run=dry_run, sure=sure):
        click.echo(line)


@main.command()
@click.argument("file", type=PathArgument)
def backup(file: Path) -> None:
    """Copy the mailbox to FILE, whole, while it is in use. A copy of it back restores it."""
    from mnemic.store.engine.backup import back_up

    back_up(read_settings().database, file)
    click.echo(f"The mailbox is copied to {file}")


@main.command()
def check() -> None:
    """Look whether the mailbox is in order: the file, its references, messages and journal.

    Of a sample of messages, also whether searches and rules find what the messages say.
    """
    from mnemic.jobs.line.answers_check import check_answers
    from mnemic.store import Database
    from mnemic.store.engine.backup import check_database

    path = read_settings().database
    problems = list(check_database(path))
    if not problems:
        database = Database(path)
        try:
            with database.reading() as session:
                problems = list(check_answers(session, datetime.now(UTC)))
        finally:
            database.close()
    for problem in problems:
        click.echo(problem)
    if problems:
        raise SystemExit(1)
    click.echo("The mailbox is in order")


@main.command()
def reindex() -> None:
    """Make anew what searches look at, from the messages as they came.

    Mnemic may run meanwhile, but has to be started anew afterwards.
    """
    from mnemic.jobs.line.reindexing import reindex_all
    from mnemic.store import Database

    database = Database(read_settings().database)
    try:
        click.echo(f"Indexed {reindex_all(database)} messages anew")
    finally:
        database.close()


@main.group()
def contacts() -> None:
    """The address book, from and to vCard files."""


@contacts.command("import")
@click.argument("file", type=PathArgument)
def import_contacts_(file: Path) -> None:
    """Take the contacts of a vCard file in."""
    from mnemic.jobs.people.contact_cards import import_contacts
    from mnemic.store import Database

    try:
        octets = file.read_bytes()
    except OSError as error:
        raise click.ClickException(f"{file}: {error.strerror}") from error
    database = Database(read_settings().database)
    try:
        with database.writing() as session:
            done = import_contacts(session, octets)
    finally:
        database.close()
    click.echo(f"{done.added} added, {done.known} were here already")


@contacts.command("export")
def export_contacts_() -> None:
    """Print the address book as vCard."""
    from mnemic.jobs.people.contact_cards import export_contacts
    from mnemic.store import Database

    database = Database(read_settings().database)
    try:
        with database.reading() as session:
            click.echo(export_contacts(session), nl=False)
    finally:
        database.close()


def _moment(
    _context: click.Context, _option: click.Parameter, value: str | None
) -> datetime | None:
    if value is None:
        return None
    try:
        moment = datetime.fromisoformat(value)
    except ValueError as error:
        raise click.BadParameter(f"{value!r} is no time like 2026-05-04T09:00:00+00:00") from error
    return moment if moment.tzinfo else moment.replace(tzinfo=UTC)


@main.command()
@click.option("--rules", "rules_file", required=True, type=PathArgument, metavar="RULES.json")
@click.option("--me", multiple=True, metavar="ADDRESS", help="An address of yours; repeatable.")
@click.option("--contacts", type=PathArgument, metavar="FILE.vcf", help="Your address book.")
@click.option("--now", callback=_moment, metavar="TIME", help="The time of the run (ISO 8601).")
@click.option("--timezone", callback=timezone_, default="UTC", show_default=True, metavar="ZONE")
@click.option("--event", type=click.Choice(get_args(Event)), default="arrival", show_default=True)
@click.option("--explain", is_flag=True, help="Add the trail: every condition and its evidence.")
@click.argument("paths", nargs=-1, required=True, type=PathArgument, metavar="PATH…")
def sort(
    rules_file: Path,
    me: tuple[str, ...],
    contacts: Path | None,
    now: datetime | None,
    timezone: ZoneInfo,
    event: Event,
    *,
    explain: bool,
    paths: tuple[Path, ...],
) -> None:
    """Say what rules would do with the mail in files: one JSON object per message, one per line.

    No database is used and nothing is written.
    """
    try:
        document = read_rule_document(rules_file.read_bytes())
        owner = Owner(me, contacts_of(contacts), timezone, now)
    except OSError as error:
        click.echo(f"{error.filename}: {error.strerror}", err=True)
        sys.exit(_USAGE_STATUS)
    except RuleDocumentError as error:
        click.echo(f"{rules_file} can’t be used:\n{error}", err=True)
        sys.exit(_USAGE_STATUS)
    out = sys.stdout
    for line in sorted_messages(document.rules, read_files(paths), event, owner, explain=explain):
        out.write(json.dumps(line) + "\n")


@main.command()
@click.option("--json", "as_json", is_flag=True, help="One JSON object a line.")
def proposals(*, as_json: bool) -> None:
    """Propose rules from what you do by hand, the surest first; nothing is made."""
    from mnemic.cli.proposals import told_proposals

    for line in told_proposals(read_settings(), as_json=as_json):
        click.echo(line)


@main.command()
def schema() -> None:
    """Print the JSON Schema of the rule document."""
    click.echo(json.dumps(rule_schema(), indent=2))


@main.command()
def catalogue() -> None:
    """Print the condition fields and actions as the editor is told of them."""
    click.echo(json.dumps(all_fields_and_actions(), ensure_ascii=False, indent=2))


@main.command()
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
