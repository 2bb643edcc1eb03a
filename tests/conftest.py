"""The real thing for tests: a database file each, and the real server on free ports."""

import smtplib
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

import pytest
from hypothesis import settings

if TYPE_CHECKING:  # tests of the core need nothing of these, and are to start at once
    from mnemic.demo import DemoMessage
    from mnemic.post.imap.other_device import Elsewhere
    from mnemic.server import Server
    from mnemic.store import Database
    from tests.api.caller import Caller

# How long an example takes says more of the machine than of the program.
settings.register_profile("untimed", deadline=None)
settings.load_profile("untimed")


@pytest.fixture(scope="session")
def demo_mail() -> "list[DemoMessage]":
    """The demo's mail, as of a fixed time."""
    from mnemic.demo import generate

    return generate(datetime(2026, 5, 4, 9, tzinfo=UTC))


@pytest.fixture
def database(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> "Iterator[Database]":
    from mnemic.store import Database
    from mnemic.store.mail import trigram_index

    # Of the few messages of a test some are indexed, and some wait for it.
    monkeypatch.setattr(trigram_index, "_PENDING", 3)
    opened = Database(tmp_path / "mail" / "mnemic.sqlite3")
    yield opened
    opened.close()


@contextmanager
def running(data: Path, elsewhere: "Elsewhere | None" = None) -> "Iterator[Server]":
    """The real server on free ports, over a data folder; maybe with a stand-in beside it."""
    from mnemic.server import Server
    from mnemic.settings import Settings

    settings = Settings(host="127.0.0.1", port=0, smtp_port=0, data=data)
    with Server(settings, elsewhere) as server:
        thread = threading.Thread(target=server.serve)
        thread.start()
        yield server
        server.stop()
    thread.join(timeout=60)
    assert not thread.is_alive()


@pytest.fixture
def server(tmp_path: Path) -> "Iterator[Server]":
    with running(tmp_path / "data") as started:
        yield started


@pytest.fixture
def deliver(server: "Server") -> Callable[..., None]:
    """Send octets by SMTP, as any client would."""

    def send(octets: bytes, *recipients: str, sender: str = "ann@x.example") -> None:
        with smtplib.SMTP("127.0.0.1", server.smtp_port, timeout=60) as client:
            client.sendmail(sender, recipients or ("moorings@x.example",), octets)

    return send


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What takes longest begins first: at the end, one worker would wait for it."""
    items.sort(key=lambda item: item.path.name != "test_kill.py")


@pytest.fixture
def call(server: "Server") -> "Caller":
    """Asks that server."""
    from tests.api.caller import Caller

    return Caller(server)
