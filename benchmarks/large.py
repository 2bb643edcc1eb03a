"""B15 at 100,000 and 500,000 messages (`make bench-large`): an hour or so, and 6 GB of disk."""

import sys
from pathlib import Path
from tempfile import TemporaryDirectory

from benchmarks.at_work import at_work
from benchmarks.mailbox import client_of
from benchmarks.measuring import machine, peak_memory

REPORT = Path(__file__).parents[1] / "docs" / "benchmarks-large.md"

_HEAD = """# Benchmarks of a large mailbox

Measured by `make bench-large`, with the mail of `benchmarks/corpus.py`, 200 rules in the line, and
another process that takes a message in before each question. [benchmarks.md](benchmarks.md) has the
others.

Machine: {machine}. Memory of the process that answered, at most: {memory} MB.

| | what | measured | wanted | reached |
|---|---|---|---|---|
"""


def main() -> None:
    """Measure, print, write; in a folder that is named, mailboxes are found again the next time."""
    with TemporaryDirectory() as name:
        folder = Path(sys.argv[1] if len(sys.argv) > 1 else name)
        rows = [result.row() for result in at_work(folder, client_of, 100_000, 500_000)]
    head = _HEAD.format(machine=machine(), memory=peak_memory() // 1024)
    REPORT.write_text(head + "\n".join(rows) + "\n", "utf-8")
    print("\n".join(rows))


if __name__ == "__main__":
    main()
