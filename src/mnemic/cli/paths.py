"""Paths as arguments of commands."""

from pathlib import Path

import click

__all__ = ["PathArgument"]

PathArgument = click.Path(path_type=Path)
