"""Run the watch: ``python -m fuzzing --seconds 60``. Ends with 1 where anything was found."""

import argparse
import itertools
import logging
import sys
import time
from collections import Counter
from collections.abc import Callable
from functools import partial
from typing import Any

from hypothesis import HealthCheck, Phase, settings

from fuzzing.http_api import api_answers, application
from fuzzing.mail import messages_are_read, stored_equals_parsed
from fuzzing.scripts import scripts_are_read
from fuzzing.texts import files_are_read, rule_documents_are_read, searches_are_understood
from mnemic.store import Database

#: Inputs of one round of a check: few, so that every check has its turn.
_ROUND = 40

_SETTINGS = settings(
    max_examples=_ROUND,
    deadline=None,
    database=None,
    suppress_health_check=list(HealthCheck),
    phases=[Phase.generate, Phase.shrink],
)

Check = Callable[[], None]


def _counting(counts: Counter[str], name: str) -> Check:
    def counted() -> None:
        counts[name] += 1

    return counted


def _checks(app: Any, database: Database, counts: Counter[str]) -> dict[str, list[Check]]:
    stored = partial(stored_equals_parsed, database=database, client=app.test_client())
    kinds: dict[str, Callable[[Check], Check]] = {
        "messages, plain equals compiled": messages_are_read,
        "messages, stored equals parsed": stored,
        "rule documents": rule_documents_are_read,
        "searches": searches_are_understood,
        "scripts, read as they run": scripts_are_read,
        "mbox, tar and vCard files": files_are_read,
    }
    checks = {name: [make(_counting(counts, name))] for name, make in kinds.items()}
    checks["requests"] = api_answers(app, _counting(counts, "requests"))
    return checks


def _run(seconds: float) -> Counter[str]:
    """Let each kind of check have the same share of the time, one round after the other."""
    counts: Counter[str] = Counter()
    with application() as (app, database):
        for checks in _checks(app, database, counts).values():
            until = time.monotonic() + seconds / 7
            for check in itertools.cycle(map(_SETTINGS, checks)):
                check()
                if time.monotonic() > until:
                    break
    return counts


def main() -> None:
    """Watch for some time, and say how many inputs of which kind there were."""
    parser = argparse.ArgumentParser(prog="fuzzing", description=__doc__)
    parser.add_argument("--seconds", type=float, default=300.0)
    seconds = parser.parse_args().seconds
    logging.disable(logging.CRITICAL)
    say = partial(print, file=sys.stdout, flush=True)
    for name, count in _run(seconds).items():
        say(f"{count:>8,}  {name}")


if __name__ == "__main__":
    main()
