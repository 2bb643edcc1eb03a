"""The one server process: the browser's side, the SMTP listener and what joins them."""

import gc
import resource
import sys
import threading
from collections.abc import Sequence
from contextlib import ExitStack
from functools import partial
from pathlib import Path
from socket import socket
from typing import Any, Self

from waitress import wasyncore
from waitress.server import create_server

from mnemic.api import EventBus, create_app
from mnemic.api.events import STREAM_LIMIT, Event, watch_for_changes
from mnemic.api.own_pages import UPLOAD_LIMIT
from mnemic.http_door import CONNECTION_LIMIT, IDLE_TIMEOUT, door_at
from mnemic.jobs.catch_up.worker import Worker
from mnemic.jobs.intake.arrival import Arrival
from mnemic.jobs.intake.deliveries import Deliveries
from mnemic.jobs.intake.import_desk import ImportDesk, import_files
from mnemic.jobs.intake.older_mail import bring_over
from mnemic.jobs.line.ready_line import keep_line_ready
from mnemic.jobs.server.keeping_in_step import KeepingInStep
from mnemic.jobs.server.pass_report import PassReport
from mnemic.jobs.server.passes import Passes
from mnemic.jobs.server.running_server import running_at
from mnemic.post import SmtpListener, listening_socket
from mnemic.post.drop_folder import DropFolder, FolderError
from mnemic.post.imap.other_device import Elsewhere
from mnemic.settings import Settings
from mnemic.store import Database
from mnemic.store.server.secret_key import SecretKey

__all__ = ["Server", "check_ports", "secret_key"]

#: Seconds after which a thread that computes lets another one on. What serves a page or takes a
#: message waits for that many times over, since it stops for the disk and the network.
_SWITCH_INTERVAL = 0.001

#: Files that may be open: connections of both doors, the database's, and some to spare.
_OPEN_FILES = 2_048

#: Each open page holds a thread for its events; these are for everything else.
_WORKING_THREADS = 8


class Server:
    """Everything that runs while Mnemic runs; a context that starts it and stops it.

    ``serve`` answers requests until ``stop`` is called from another thread. Raises
    PortInUseError where a port is taken, and StoreError where the database can't be used;
    nothing has been changed then.
    """

    def __init__(self, settings: Settings, elsewhere: Elsewhere | None = None) -> None:
        """``elsewhere`` is a stand-in that runs beside it, for *Outside* to show."""
        listening, smtp_listening = _sockets(settings)
        try:
            self.database = Database(settings.database)
        except BaseException:
            listening.close()
            smtp_listening.close()
            raise
        self.bus = EventBus()
        self._stopping = stopping = threading.Event()
        self._smtp = SmtpListener(smtp_listening, Deliveries(self.database, self._arrived).deliver)
        passes = self._passes(settings)
        self._desk = ImportDesk(self.database, settings.incoming)
        self._worker = Worker(self.database, settings.queue)
        self._drop = DropFolder(settings.drop_folder, self._take_dropped)
        self._threads = [
            threading.Thread(target=watch_for_changes, args=(self.database, self.bus, stopping)),
            threading.Thread(target=self._drop.run, args=(stopping,)),
            threading.Thread(target=keep_line_ready, args=(self.database, stopping)),
            threading.Thread(target=bring_over, args=(self.database, stopping)),
            threading.Thread(target=KeepingInStep(self.database, passes, stopping).run),
        ]
        self.port: int = listening.getsockname()[1]
        host = f"[{settings.host}]" if ":" in settings.host else settings.host
        self.address = f"http://{host}:{self.port}/"
        self._locks, self._noted = settings.locks, ExitStack()
        self._connections: dict[int, Any] = {}  # what waitress listens and talks on
        app = create_app(
            self.database,
            self.bus,
            self._desk,
            self._worker,
            port=self.port,
            smtp=(settings.host, self._smtp.port),
            passes=passes,
            elsewhere=elsewhere,
        )
        self._http = _answering(app, listening, self._connections)

    @property
    def smtp_port(self) -> int:
        """The port on which mail is taken."""
        return self._smtp.port

    def _arrived(self, arrivals: Sequence[Arrival]) -> None:
        by_rules = sum(bool(arrival.rules) for arrival in arrivals)
        sounds = list(dict.fromkeys(sound for arrival in arrivals for sound in arrival.sounds))
        self.bus.publish(Event(type="arrived", count=len(arrivals), sorted=by_rules, sounds=sounds))

    def _passes(self, settings: Settings) -> Passes:
        """Passes over connected accounts."""
        locks, largest = settings.locks, settings.largest
        key = partial(secret_key, settings)
        return Passes(self.database, key, locks, largest, on_pass=self._passed)

    def _passed(self, report: PassReport) -> None:
        """What came in by a pass over a connected account is told as what comes in here."""
        if report.arrived:
            count, sounds = len(report.arrived), list(dict.fromkeys(report.sounds))
            self.bus.publish(
                Event(type="arrived", count=count, sorted=report.sorted, sounds=sounds)
            )

    def _take_dropped(self, path: Path) -> str:
        report = import_files(self.database, [path], sort=True)
        if report.taken_in:
            self.bus.publish(Event(type="arrived", count=report.taken_in, sorted=report.sorted))
        return f"{report.taken_in} taken in, {report.doubles} were here already"

    def __enter__(self) -> Self:
        _have_room_for_connections()
        sys.setswitchinterval(_SWITCH_INTERVAL)
        try:
            self._drop.make()  # whoever knows that the server runs may put mail there
            self._desk.make()
        except FolderError:
            self._close()
            raise
        self._desk.start()
        self._worker.start()
        self._smtp.start()
        self._noted.enter_context(running_at(self._locks, self.address))
        for thread in self._threads:
            thread.start()
        return self

    def serve_alone(self) -> None:
        """The same as ``serve``, in a process that does nothing else.

        What is here by now stays: looking through all of it for what is garbage would hold up
        everything else for 100 ms now and then.
        """
        gc.collect()
        gc.freeze()
        self.serve()

    def serve(self) -> None:
        """Answer requests until ``stop``; KeyboardInterrupt passes through."""
        while not self._stopping.is_set():
            wasyncore.loop(timeout=1.0, map=self._connections, use_poll=True, count=1)

    def stop(self) -> None:
        """Make ``serve`` return."""
        self._stopping.set()
        self._http.pull_trigger()

    def __exit__(self, *_: object) -> None:
        self._stopping.set()
        self._smtp.stop()
        self._desk.stop()
        self._worker.stop()
        for thread in self._threads:
            thread.join()
        self._noted.close()
        self.bus.close()
        self._close()

    def _close(self) -> None:
        self._http.task_dispatcher.shutdown()
        wasyncore.close_all(self._connections)
        self.database.close()


def _answering(app: Any, listening: socket, connections: dict[int, Any]) -> Any:
    """Waitress on a listening socket, with our own door."""
    server: Any = create_server(
        app,
        map=connections,
        sockets=[listening],
        threads=STREAM_LIMIT + _WORKING_THREADS,
        ident=None,
        channel_request_lookahead=1,  # so that it is seen when nobody waits any more
        max_request_body_size=UPLOAD_LIMIT + 1,  # the door allows less but for uploads
        connection_limit=2 * CONNECTION_LIMIT,  # the door lets idle ones go before
        channel_timeout=IDLE_TIMEOUT,
        cleanup_interval=IDLE_TIMEOUT // 4,
        clear_untrusted_proxy_headers=True,
    )
    server.channel_class = door_at(listening.getsockname()[1])
    return server


def secret_key(settings: Settings) -> SecretKey:
    """The key of kept passwords. Raises WrongKeyError where it can't be used."""
    given = settings.secret_key
    return SecretKey.of(settings.secret_file, given.get_secret_value() if given else None)


def _have_room_for_connections() -> None:
    """Let this process open as many files as all connections need, where the system lets it."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = _OPEN_FILES if hard == resource.RLIM_INFINITY else min(_OPEN_FILES, hard)
    if soft != resource.RLIM_INFINITY and soft < wanted:
        resource.setrlimit(resource.RLIMIT_NOFILE, (wanted, hard))


def _sockets(settings: Settings) -> tuple[socket, socket]:
    """Sockets for the browser's side and for SMTP. Raises PortInUseError unless both are free."""
    listening = listening_socket(settings.host, settings.port, setting="MNEMIC_PORT")
    try:
        smtp = listening_socket(settings.host, settings.smtp_port, setting="MNEMIC_SMTP_PORT")
    except BaseException:
        listening.close()
        raise
    return listening, smtp


def check_ports(settings: Settings) -> None:
    """Raise PortInUseError where something, most likely a Mnemic, listens on our ports."""
    for listener in _sockets(settings):
        listener.close()
