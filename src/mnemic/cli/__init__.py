"""The command line."""

from mnemic.cli.commands import main

__all__ = ["main"]
