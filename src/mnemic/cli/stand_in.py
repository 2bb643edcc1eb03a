"""``mnemic stand-in``: a simulated mail server, to try a connected account without one."""

from pathlib import Path

import click

from mnemic.cli.paths import PathArgument
from mnemic.settings import read_settings

__all__ = ["stand_in"]

_port = click.IntRange(0, 65535)


@click.command("stand-in")
@click.option("--folder", type=PathArgument, help="Where its mail is kept.")
@click.option("--user", default="tamsin@wendle-lyde.example", show_default=True)
@click.option("--password", default="towpath", show_default=True)
@click.option("--imap-port", type=_port, default=0, help="0, as for the others: any free one.")
@click.option("--smtp-port", type=_port, default=0, help="For mail that comes in.")
@click.option("--submission-port", type=_port, default=0)
@click.option("--sieve-port", type=_port, default=0, help="For scripts (ManageSieve).")
@click.option("--script-space", type=click.IntRange(0), default=1_000_000, show_default=True)
@click.option(
    "--certificate",
    type=click.Path(path_type=Path, exists=True),
    help="A PEM file with a key and its certificate: with it there is TLS.",
)
@click.option("--while-input", is_flag=True, help="End with the standard input.")
@click.option(
    "--without",
    multiple=True,
    metavar="EXTENSION",
    help="An extension of IMAP or Sieve to do without.",
)
def stand_in(
    *,
    folder: Path | None,
    user: str,
    password: str,
    imap_port: int,
    smtp_port: int,
    submission_port: int,
    sieve_port: int,
    script_space: int,
    certificate: Path | None,
    without: tuple[str, ...],
    while_input: bool,
) -> None:
    """Run a simulated mail server on this computer alone; it prints its ports as JSON."""
    from mnemic.stand_in.serving import StandIn, serve

    serve(
        StandIn(
            folder=folder or read_settings().data / "stand-in",
            user=user,
            password=password,
            imap_port=imap_port,
            smtp_port=smtp_port,
            submission_port=submission_port,
            sieve_port=sieve_port,
            script_space=script_space,
            certificate=certificate,
            without=frozenset(capability.upper() for capability in without),
            while_input=while_input,
        )
    )
