"""``mnemic sync``: one whole pass over connected accounts."""

import json
from typing import Any
from urllib.error import URLError
from urllib.request import ProxyHandler, Request, build_opener

import click

from mnemic.cli.opened import connected_account, key_of, opened
from mnemic.jobs.server.passes import Passes
from mnemic.jobs.server.passing import IN_STEP
from mnemic.jobs.server.running_server import address_of_server
from mnemic.settings import Settings
from mnemic.store import Database
from mnemic.store.server.connections import connections

__all__ = ["sync"]

#: Seconds that a pass of a running server is waited for: a first mirror takes its time.
_PATIENCE = 3_600


@click.command()
@click.option("--account", "name", metavar="NAME", help="One account; else all of them.")
@click.pass_context
def sync(context: click.Context, *, name: str | None) -> None:
    """Mirror, let rules act, carry out, until both sides are in step; a JSON object an account.

    Where a server of Mnemic runs on the data it is asked for the pass.
    """
    in_step = True
    with opened() as (settings, database):
        if name is not None:
            asked = [connected_account(database, name)]
        else:
            with database.reading() as session:
                asked = connections(session)
        server = address_of_server(settings.locks)
        for connection in asked:
            report = _asked_of(server, connection.account.id) if server else None
            if report is None:
                report = _made(settings, database, connection.account.id)
            in_step = in_step and report.pop("in_step")
            click.echo(
                json.dumps({"account": connection.account.name, **report}, ensure_ascii=False)
            )
    if not in_step:
        context.exit(1)


def _asked_of(server: str, account_id: int) -> dict[str, Any] | None:
    """What a pass of the running server came to; None where it has ended meanwhile."""
    asked = Request(f"{server}api/connections/{account_id}/pass", method="POST")  # noqa: S310 -- ours
    try:
        with build_opener(ProxyHandler({})).open(asked, timeout=_PATIENCE) as answer:
            report: dict[str, Any] = json.load(answer)
            return report
    except (URLError, OSError, ValueError):
        return None


def _made(settings: Settings, database: Database, account_id: int) -> dict[str, Any]:
    """What a pass of our own came to."""
    key = key_of(settings)
    passes = Passes(database, lambda: key, settings.locks, settings.largest)
    state, report = passes.over(account_id)
    return {"state": state, "in_step": state == IN_STEP, **report.counts()}
