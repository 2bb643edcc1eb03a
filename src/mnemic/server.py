"""The one server process: the browser's side, the SMTP listener and what joins them."""

import errno
import socket
import threading
from datetime import UTC, datetime
from typing import Self

from waitress.server import BaseWSGIServer, create_server

from mnemic.api import EventBus, create_app
from mnemic.api.events import STREAM_LIMIT, Event, watch_for_changes
from mnemic.core import parse_message
from mnemic.jobs import take_in
from mnemic.post import Delivery, PortInUseError, SmtpListener
from mnemic.settings import Settings
from mnemic.store import Database

__all__ = ["Server", "check_ports"]

#: Each open page holds a thread for its events; these are for everything else.
_WORKING_THREADS = 8


class Server:
    """Everything that runs while Mnemic runs; a context that starts it and stops it.

    ``serve`` answers requests until ``stop`` is called from another thread. Raises
    PortInUseError where a port is taken, and StoreError where the database can't be used.
    """

    def __init__(self, settings: Settings) -> None:
        self.database = Database(settings.database)
        self.bus = EventBus()
        self._stopping = threading.Event()
        self._watcher = threading.Thread(
            target=watch_for_changes, args=(self.database, self.bus, self._stopping), daemon=True
        )
        self._smtp = SmtpListener(settings.host, settings.smtp_port, self._deliver)
        app = create_app(self.database, self.bus, port=settings.port)
        try:
            self._http = create_server(
                app,
                host=settings.host,
                port=settings.port,
                threads=STREAM_LIMIT + _WORKING_THREADS,
                ident=None,
                # A message is taken in pieces of this size at most; mail comes by SMTP or file.
                max_request_body_size=16 * 1024 * 1024,
                clear_untrusted_proxy_headers=True,
            )
        except OSError as error:
            self.database.close()
            if error.errno != errno.EADDRINUSE:
                raise
            raise PortInUseError(
                f"port {settings.port} is in use, perhaps by a Mnemic that runs already; stop it, "
                "or set MNEMIC_PORT to another port"
            ) from error
        assert isinstance(self._http, BaseWSGIServer)  # noqa: S101 -- one address, one socket
        self.port = int(self._http.effective_port)  # type: ignore[attr-defined] # not in its stubs
        app.config["PORT"] = self.port
        host = f"[{settings.host}]" if ":" in settings.host else settings.host
        self.address = f"http://{host}:{self.port}/"

    @property
    def smtp_port(self) -> int:
        """The port on which mail is taken."""
        return self._smtp.port

    def _deliver(self, delivery: Delivery) -> None:
        message = parse_message(delivery.octets, delivery.envelope)
        with self.database.writing() as session:
            arrival = take_in(session, message, received=datetime.now(UTC))
        self.bus.publish(Event(type="arrived", count=1, sorted=int(bool(arrival.rules))))

    def __enter__(self) -> Self:
        try:
            self._smtp.start()
        except BaseException:
            self._http.close()
            self.database.close()
            raise
        self._watcher.start()
        return self

    def serve(self) -> None:
        """Answer requests until ``stop``."""
        self._http.run()

    def stop(self) -> None:
        """Make ``serve`` return."""
        self._http.close()

    def __exit__(self, *_: object) -> None:
        self._stopping.set()
        self._smtp.stop()
        self._watcher.join()
        self._http.task_dispatcher.shutdown()
        self._http.close()
        self.database.close()


def check_ports(settings: Settings) -> None:
    """Raise PortInUseError where something, most likely a Mnemic, listens on our ports."""
    for port in filter(None, (settings.port, settings.smtp_port)):
        with socket.socket(socket.AF_INET6 if ":" in settings.host else socket.AF_INET) as probe:
            if probe.connect_ex((settings.host, port)) == 0:
                raise PortInUseError(
                    f"port {port} is in use; stop the Mnemic that runs there first"
                )
