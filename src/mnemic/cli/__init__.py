"""The command line."""

from mnemic.cli.accounts import account
from mnemic.cli.commands import main
from mnemic.cli.folders import folder
from mnemic.cli.line import history, rules, undo
from mnemic.cli.mail_list import list_mail
from mnemic.cli.sieve import sieve
from mnemic.cli.stand_in import stand_in
from mnemic.cli.sync import sync

__all__ = ["main"]

for _command in (account, folder, history, list_mail, rules, sieve, stand_in, sync, undo):
    main.add_command(_command)
