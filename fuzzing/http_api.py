"""The HTTP API, asked as its own OpenAPI says, and worse: no answer is a mistake of ours."""

import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import schemathesis
from hypothesis import given

from mnemic.api import EventBus, create_app
from mnemic.jobs.catch_up.worker import Worker
from mnemic.jobs.intake.arrival import import_messages
from mnemic.jobs.intake.import_desk import ImportDesk
from mnemic.jobs.server.passes import Passes
from mnemic.post import FileMessage
from mnemic.store import Database
from mnemic.store.server.secret_key import SecretKey

__all__ = ["api_answers", "application"]

_NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)

#: What may be said where a door is not there (the listener) or full.
_SAID = {502, 503}


@contextmanager
def application() -> Iterator[tuple[Any, Database]]:
    """The application over a small mailbox."""
    with tempfile.TemporaryDirectory() as name:
        database = Database(Path(name) / "mnemic.sqlite3")
        mail = [b"From: a%d@b.example\nTo: c@d.example\nSubject: permit %d\n\ntext\n" % (n, n) for n in range(20)]  # fmt: skip
        import_messages(database, [FileMessage("x", message, _NOW) for message in mail], now=_NOW)
        (Path(name) / "incoming").mkdir()
        desk = ImportDesk(database, Path(name) / "incoming")
        worker = Worker(database, Path(name) / "queue")
        worker.start()
        app = create_app(
            database,
            EventBus(),
            desk,
            worker,
            port=80,
            smtp=("127.0.0.1", 9),
            passes=Passes(database, lambda: SecretKey(b"k"), Path(name), 1),
        )
        yield app, database
        worker.stop()
        database.close()


def api_answers(app: Any, counted: Callable[[], None]) -> list[Callable[[], None]]:
    """A check for each operation but the stream of events, which never ends."""
    schema = schemathesis.openapi.from_wsgi("/api/openapi.json", app)
    results: list[Any] = list(schema.get_all_operations())
    operations = [result.ok() for result in results]  # raises where the description is not valid
    return [
        _check(operation, counted) for operation in operations if operation.path != "/api/events"
    ]


def _check(operation: Any, counted: Callable[[], None]) -> Callable[[], None]:
    @given(operation.as_strategy())
    def asked(case: Any) -> None:
        counted()
        answer = case.call()
        assert answer.status_code < 500 or answer.status_code in _SAID, answer.text
        if answer.status_code >= 400:
            assert answer.json()["detail"]

    check: Callable[[], None] = asked
    return check
