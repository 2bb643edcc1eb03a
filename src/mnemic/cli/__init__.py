"""The command line."""

from mnemic.cli.commands import main
from mnemic.cli.stand_in import stand_in

__all__ = ["main"]

main.add_command(stand_in)
