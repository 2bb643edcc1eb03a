"""``mnemic sync``: one whole pass over connected accounts."""

import json

import click

from mnemic.cli.opened import connected_account, key_of, opened

__all__ = ["sync"]


@click.command()
@click.option("--account", "name", metavar="NAME", help="One account; else all of them.")
@click.pass_context
def sync(context: click.Context, *, name: str | None) -> None:
    """Mirror, let rules act, carry out, until both sides are in step; a JSON object an account."""
    from mnemic.jobs.server.one_at_a_time import one_at_a_time
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
        for each in asked:
            with one_at_a_time(settings.locks, each.account.id):
                state, report = pass_over(database, each.account.id, key, largest=settings.largest)
            told = {
                "account": each.account.name,
                "state": state,
                "fetched": report.fetched,
                "arrived": len(report.arrived),
                "sorted": report.sorted,
                "changed_there": len(report.there - report.arrived),
                "changed_here": len(report.changed - report.arrived),
                "gone": len(report.gone),
            }
            click.echo(json.dumps(told, ensure_ascii=False))
            in_step = in_step and state == IN_STEP
    if not in_step:
        context.exit(1)
