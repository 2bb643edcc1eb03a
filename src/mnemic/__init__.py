"""Mnemic: mail rules with evidence before, a trail after and undo always."""

from importlib.metadata import version

__all__ = ["__version__"]

__version__ = version("mnemic")
