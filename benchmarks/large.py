"""B15 at 100,000 and 500,000 messages (`make bench-large`): an hour or so, and 6 GB of disk."""

import sys
from pathlib import Path
from tempfile import TemporaryDirectory

from benchmarks.at_work import at_work
from benchmarks.mailbox import client_of
from benchmarks.measuring import machine, peak_memory


def main() -> None:
    """Measure and print; in a folder that is named, mailboxes are found again the next time."""
    with TemporaryDirectory() as name:
        folder = Path(sys.argv[1] if len(sys.argv) > 1 else name)
        print(f"Machine: {machine()}")
        for result in at_work(folder, client_of, 100_000, 500_000):
            print(result.row(), flush=True)
    print(f"peak memory: {peak_memory()} KB")


if __name__ == "__main__":
    main()
