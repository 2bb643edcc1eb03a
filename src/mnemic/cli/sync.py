"""``mnemic sync``: one whole pass over connected accounts."""

import fcntl
import json
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import click

from mnemic.cli.opened import connected_account, key_of, opened

__all__ = ["sync"]

#: Seconds that a pass waits for another one over the same mailbox.
_WAITS = 60


@contextmanager
def _alone(data: Path) -> Iterator[None]:
    """Passes come one after the other; one that waited long enough goes on all the same."""
    data.mkdir(parents=True, exist_ok=True)
    with (data / "sync.lock").open("a") as file:
        end = time.monotonic() + _WAITS
        while True:
            try:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
                break
            except OSError:
                if time.monotonic() > end:
                    break
                time.sleep(0.1)
        yield


@click.command()
@click.option("--account", "name", metavar="NAME", help="One account; else all of them.")
@click.pass_context
def sync(context: click.Context, *, name: str | None) -> None:
    """Mirror, let rules act, carry out, until both sides are in step; a JSON object an account."""
    from mnemic.jobs.server.passing import IN_STEP, pass_over
    from mnemic.store.server.connections import connections

    in_step = True
    with opened() as (settings, database):
        if name is not None:
            asked = [connected_account(database, name)]
        else:
            with database.reading() as session:
                asked = connections(session)
        if not asked:
            return
        key = key_of(settings)
        with _alone(settings.data):
            for each in asked:
                state, report = pass_over(database, each.account.id, key, largest=settings.largest)
                told = {
                    "account": each.account.name,
                    "state": state,
                    "fetched": report.fetched,
                    "arrived": len(report.arrived),
                    "sorted": report.sorted,
                    "changed_there": len(report.there),
                    "changed_here": len(report.changed - report.arrived),
                    "gone": len(report.gone),
                }
                click.echo(json.dumps(told, ensure_ascii=False))
                in_step = in_step and state == IN_STEP
    if not in_step:
        context.exit(1)
