"""``python -m mnemic``."""

from mnemic.cli import main

main()
