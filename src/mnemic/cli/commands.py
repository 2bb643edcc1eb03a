"""The command line: where each command is found, and how its errors are told."""

import ast
from importlib import import_module
from pathlib import Path
from typing import Any

import click

from mnemic import __version__
from mnemic.core import MnemicError

__all__ = ["main"]

#: Each command: its module, and its name there. The module is loaded when the command is asked for:
#: ``sort`` needs no database, and starts at once.
_COMMANDS = {
    "account": ("accounts", "account"),
    "backup": ("upkeep", "backup"),
    "catalogue": ("descriptions", "catalogue"),
    "catch-up": ("catch_up", "catch_up"),
    "check": ("upkeep", "check"),
    "contacts": ("contacts", "contacts"),
    "demo": ("serving", "demo"),
    "export": ("export", "export"),
    "folder": ("folders", "folder"),
    "history": ("line", "history"),
    "import": ("import_mail", "import_mail"),
    "list": ("mail_list", "list_mail"),
    "openapi": ("descriptions", "openapi"),
    "proposals": ("proposals", "proposals"),
    "reindex": ("upkeep", "reindex"),
    "rules": ("line", "rules"),
    "schema": ("descriptions", "schema"),
    "serve": ("serving", "serve"),
    "sieve": ("sieve", "sieve"),
    "sort": ("sort", "sort"),
    "stand-in": ("stand_in", "stand_in"),
    "sync": ("sync", "sync"),
    "undo": ("line", "undo"),
}


def _summary(command: str, room: int) -> str:
    """What a command does, from its docstring, in so many characters at most."""
    module, name = _COMMANDS[command]
    tree = ast.parse(Path(__file__).with_name(f"{module}.py").read_text("utf-8"))
    functions = (node for node in tree.body if isinstance(node, ast.FunctionDef))
    doc = next(ast.get_docstring(function) for function in functions if function.name == name)
    return click.Command(command, help=doc).get_short_help_str(room)


class _Group(click.Group):
    """Tells every error of Mnemic's own as one message, without a traceback."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        del ctx
        return list(_COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        del ctx
        if cmd_name not in _COMMANDS:
            return None
        module, name = _COMMANDS[cmd_name]
        command: click.Command = getattr(import_module(f"mnemic.cli.{module}"), name)
        return command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """As click's own, but no command is loaded for it: that would take seconds."""
        del ctx
        room = formatter.width - 6 - max(map(len, _COMMANDS))
        with formatter.section("Commands"):
            formatter.write_dl([(name, _summary(name, room)) for name in _COMMANDS])

    def invoke(self, ctx: click.Context) -> Any:
        try:
            return super().invoke(ctx)
        except MnemicError as error:
            click.echo(f"mnemic: {error}", err=True)
            ctx.exit(1)


@click.group(cls=_Group)
@click.version_option(__version__, prog_name="mnemic")
def main() -> None:
    """Mail rules with evidence before and a trail after."""
