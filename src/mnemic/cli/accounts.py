"""``mnemic account``: mailboxes on servers, connected, tried, and let act."""

import json
from pathlib import Path
from typing import Any, cast

import click

from mnemic.cli.catch_up import Asked, catch_up_lines
from mnemic.cli.opened import connected_account, key_of, opened
from mnemic.jobs.server.connecting import connect, disconnect, try_out, try_submission
from mnemic.jobs.server.letting_act import let_act
from mnemic.jobs.server.state_lines import line_of, troubles_of
from mnemic.post.imap import ServerError
from mnemic.store.line.rules import list_rules
from mnemic.store.mail.mailboxes import count_in_mailbox
from mnemic.store.owner.accounts import Account
from mnemic.store.server.connections import (
    Connection,
    Reach,
    SecretKind,
    connection_of,
    connections,
    keep_secret,
    set_state,
    submission_refused,
)
from mnemic.store.server.server_scripts import scripts_are_tried_again

__all__ = ["account"]

_SECURITY = click.Choice(["tls", "starttls", "none"])
_FILE = click.Path(path_type=Path, exists=True, dir_okay=False)


class _Server(click.ParamType[tuple[str, int]]):
    """HOST:PORT."""

    name = "HOST:PORT"

    def convert(
        self, value: Any, param: click.Parameter | None, ctx: click.Context | None
    ) -> tuple[str, int]:
        if isinstance(value, tuple):
            return cast(tuple[str, int], value)
        host, colon, port = str(value).rpartition(":")
        if not colon or not host or not port.isdecimal() or not 0 < int(port) < 65_536:
            self.fail(f"{value!r} is no HOST:PORT like mail.trust.example:993", param, ctx)
        return host.strip("[]"), int(port)


@click.group()
def account() -> None:
    """Accounts whose mail lies on a server."""


@account.command("add")
@click.option("--name", required=True, help="What it is called here.")
@click.option("--address", required=True, help="The address that mail comes to.")
@click.option("--alias", "aliases", multiple=True, help="Another address of it; repeatable.")
@click.option("--imap", required=True, type=_Server())
@click.option("--security", required=True, type=_SECURITY, help="none: on this computer alone.")
@click.option("--ca", type=_FILE, help="A PEM file of further authorities.")
@click.option("--user", required=True)
@click.option("--password-file", type=_FILE, help="A file with the password.")
@click.option("--password-command", metavar="CMD", help="A command that prints the password.")
@click.option("--token-command", metavar="CMD", help="A command that prints an access token.")
@click.option("--submission", type=_Server(), help="Where its forwards and answers leave.")
@click.option("--submission-security", type=_SECURITY)
@click.option("--acting", is_flag=True, help="Let rules act at once.")
@click.option("--untried", is_flag=True, help="Keep it though it does not work now.")
def add(
    *,
    name: str,
    address: str,
    aliases: tuple[str, ...],
    imap: tuple[str, int],
    security: str,
    ca: Path | None,
    user: str,
    submission: tuple[str, int] | None,
    submission_security: str | None,
    acting: bool,
    untried: bool,
    **secrets: Any,
) -> None:
    """Connect an account: log in, look, and keep it if that works."""
    kind, secret = _secret(**secrets)
    if (submission is None) != (submission_security is None):
        raise click.UsageError("give --submission and --submission-security together")
    reach = Reach(
        *imap,
        cast(Any, security),
        user,
        kind,
        secret,
        None if ca is None else str(ca.resolve()),
        None if submission is None else (*submission, submission_security or "tls"),
    )
    _connect(Account(0, name, address, aliases), reach, acting=acting, untried=untried)


def _connect(wanted: Account, reach: Reach, *, acting: bool, untried: bool) -> None:
    """Keep the account where it works, or where that is not asked for, and say what is there."""
    with opened() as (settings, database):
        key, tried = key_of(settings), None
        try:
            tried = try_out(reach)
        except ServerError as error:
            if not untried:
                raise
            click.echo(f"It does not work now: {error}")
        with database.writing() as session:
            connect(session, wanted, reach, key, acting=acting, tried=tried)
    for sentence in (*(tried.sentences if tried else ()), *_sending(reach)):
        click.echo(sentence)


def _sending(reach: Reach) -> tuple[str, ...]:
    """Whether letters can leave, in words: that they can’t keeps no account away."""
    try:
        return try_submission(reach)
    except ServerError as error:
        return (f"Letters can’t leave now, and wait: {error}",)


def _secret(
    password_file: Path | None, password_command: str | None, token_command: str | None
) -> tuple[SecretKind, str]:
    """The one way to a password that was given."""
    given: list[tuple[SecretKind, str]] = []
    if password_file is not None:
        given.append(("password", _first_line(password_file)))
    if password_command is not None:
        given.append(("password-command", password_command))
    if token_command is not None:
        given.append(("token-command", token_command))
    if len(given) != 1:
        raise click.UsageError(
            "give one of --password-file, --password-command and --token-command"
        )
    return given[0]


def _first_line(file: Path) -> str:
    try:
        first, *_ = file.read_text("utf-8").splitlines() or [""]
    except (OSError, UnicodeDecodeError) as error:
        raise click.UsageError(f"{file} can’t be read as text; write the password in it") from error
    if not first:
        raise click.UsageError(f"{file} is empty; write the password in it")
    return first


def _told(connection: Connection, messages: int, state: str) -> dict[str, Any]:
    return {
        "name": connection.account.name,
        "address": connection.account.address,
        "aliases": list(connection.account.aliases),
        "imap": f"{connection.reach.host}:{connection.reach.port}",
        "security": connection.reach.security,
        "user": connection.reach.user,
        "acting": connection.acting,
        "state": state,
        "messages": messages,
        "alert": connection.alert,
    }


@account.command("list")
@click.option("--json", "as_json", is_flag=True, help="One JSON object a line.")
def list_(*, as_json: bool) -> None:
    """The connected accounts, and how each is."""
    with opened() as (_, database), database.reading() as session:
        troubles = troubles_of(session)
        for connection in connections(session):
            state = line_of(connection, troubles)
            printed = _told(connection, count_in_mailbox(session, connection.mailbox_id), state)
            acts = "acting" if connection.acting else "watching"
            line = (
                f"{printed['name']}: {acts}, {printed['messages']:,} messages, {printed['state']}"
            )
            click.echo(json.dumps(printed, ensure_ascii=False) if as_json else line)


@account.command("try")
@click.argument("name")
def try_(name: str) -> None:
    """Log in and look; say in words what was found."""
    with opened() as (settings, database):
        tried = connected_account(database, name)
        with database.reading() as session:
            connection = connection_of(session, tried.account.id, key_of(settings))
        reach = (connection or tried).reach
        sentences = [*try_out(reach).sentences, *try_submission(reach)]
        with database.writing() as session:
            submission_refused(session, tried.account.id, refused=False)
            scripts_are_tried_again(session, tried.account.id)
            if tried.refused:
                set_state(session, tried.account.id, "not looked at since it works again")
    for sentence in sentences:
        click.echo(sentence)


@account.command("remove")
@click.argument("name")
def remove(name: str) -> None:
    """Forget an account, its mirror and its password; nothing is done on the server."""
    with opened() as (_, database):
        connection = connected_account(database, name)
        with database.writing() as session:
            messages = disconnect(session, connection.account.id)
    click.echo(f"“{name}” is removed, with {messages:,} mirrored messages; its server has them")


@account.command("act")
@click.argument("name")
@click.option("--yes", is_flag=True, help="Don’t ask.")
def act(name: str, *, yes: bool) -> None:
    """Let rules act, after telling what a catch-up over what was watched would do."""
    with opened() as (_, database):
        connection = connected_account(database, name)
        with database.reading() as session:
            if any(rule.rule.enabled for rule in list_rules(session)):
                asked = Asked(mailbox=connection.mailbox_id)
                click.echo("A catch-up over what was watched would do this:")
                for line in catch_up_lines(session, asked):
                    click.echo(line)
        if not yes:
            click.confirm(f"Let rules act on what arrives in “{name}” from now on?", abort=True)
        with database.writing() as session:
            let_act(session, connection, acting=True)
    click.echo(f"Rules act in “{name}” now")


@account.command("watch")
@click.argument("name")
def watch(name: str) -> None:
    """Only watch from now on: nothing changes on the server."""
    with opened() as (_, database):
        connection = connected_account(database, name)
        with database.writing() as session:
            let_act(session, connection, acting=False)
    click.echo(f"“{name}” is only watched now")


@account.command("password")
@click.argument("name")
@click.option("--password-file", type=_FILE, required=True, help="A file with the password.")
def password(name: str, *, password_file: Path) -> None:
    """Give another password; what was refused is tried again with it."""
    secret = _first_line(password_file)
    with opened() as (settings, database):
        connection, key = connected_account(database, name), key_of(settings)
        with database.writing() as session:
            keep_secret(session, connection.account.id, "password", secret, key)
    click.echo(f"The password of “{name}” is kept")
