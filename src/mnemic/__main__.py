"""``python -m mnemic``."""

from mnemic.cli.commands import main

main()
