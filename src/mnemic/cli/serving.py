"""``mnemic serve`` and ``mnemic demo``."""

from typing import TYPE_CHECKING

import click

from mnemic.cli.heaps import share_heaps
from mnemic.settings import read_settings

if TYPE_CHECKING:
    from mnemic.post.imap.other_device import Elsewhere

__all__ = ["demo", "serve"]

# What serves is imported within the commands: heaps are shared before its threads begin.


@click.command()
def serve() -> None:
    """Run Mnemic and answer the browser."""
    share_heaps()
    _serve()


def _serve(elsewhere: "Elsewhere | None" = None) -> None:
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


@click.command()
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
