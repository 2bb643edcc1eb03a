"""What happens, told to open pages at once: server-sent events (HTML Living Standard, 9.2)."""

import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from queue import Empty, SimpleQueue
from typing import Literal

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field

from mnemic.api.described import Described
from mnemic.api.problem import problem_response
from mnemic.store import Database

__all__ = ["Event", "EventBus", "events_blueprint", "watch_for_changes"]

#: Seconds between two lines on a stream where nothing happens, so that a page that is gone is
#: noticed and its thread is freed.
_HEARTBEAT = 10.0

#: Seconds between two events on a stream: what happens meanwhile is told together.
_PACE = 0.25

#: Streams open at a time; each holds a thread of the server.
STREAM_LIMIT = 24

#: Seconds between two looks for commits, by this or any other process.
_WATCH_INTERVAL = 0.25


class Event(Described):
    """Mail ``arrived``, or something ``changed``.

    ``count`` is how many arrived, ``sorted`` how many of them a rule took, ``sounds`` what rules
    want to be heard.
    """

    type: Literal["arrived", "changed"]
    count: int = 0
    sorted: int = 0
    sounds: list[str] = Field([])


class EventBus:
    """Hands each event to every open stream."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._streams: set[SimpleQueue[Event | None]] = set()

    def publish(self, event: Event) -> None:
        """Tell every open stream."""
        with self._lock:
            for stream in self._streams:
                stream.put(event)

    def close(self) -> None:
        """End every open stream: the server stops."""
        with self._lock:
            for stream in self._streams:
                stream.put(None)

    @property
    def open_streams(self) -> int:
        """How many streams are open."""
        return len(self._streams)

    @contextmanager
    def stream(self) -> Iterator[SimpleQueue[Event | None]]:
        """A queue that receives every event while the context lasts, and None at the end."""
        queue: SimpleQueue[Event | None] = SimpleQueue()
        with self._lock:
            self._streams.add(queue)
        try:
            yield queue
        finally:
            with self._lock:
                self._streams.discard(queue)


def _joined(first: Event, queue: SimpleQueue[Event | None]) -> tuple[Event, bool]:
    """An event with those that came after it, as one, and whether the stream has ended."""
    joined, ended = first, False
    while not queue.empty():
        event = queue.get()
        if event is None:
            ended = True
        elif event.type == "arrived":
            joined = Event(
                type="arrived",
                count=joined.count + event.count,
                sorted=joined.sorted + event.sorted,
                sounds=list(dict.fromkeys([*joined.sounds, *event.sounds])),
            )
    return joined, ended


def _lines(bus: EventBus) -> Iterator[str]:
    with bus.stream() as queue:
        # A page that comes back has missed what happened meanwhile: it looks at everything anew.
        yield f"retry: 500\ndata: {Event(type='changed').model_dump_json()}\n\n"
        ended = False
        while not ended:
            try:
                event = queue.get(timeout=_HEARTBEAT)
            except Empty:
                yield ":\n\n"
                continue
            if event is None:
                return
            event, ended = _joined(event, queue)
            yield f"data: {event.model_dump_json()}\n\n"
            time.sleep(_PACE)


def events_blueprint(bus: EventBus) -> APIBlueprint:
    """The stream of events."""
    blueprint = APIBlueprint("events", __name__)

    @blueprint.get("/api/events", summary="Events as they happen", responses={200: Event})
    def events() -> Response:
        if bus.open_streams >= STREAM_LIMIT:
            detail = "Too many pages of Mnemic are open; close some of them."
            return problem_response(503, "Too many streams", detail)
        return Response(
            _lines(bus), mimetype="text/event-stream", headers={"Cache-Control": "no-store"}
        )

    return blueprint


def watch_for_changes(database: Database, bus: EventBus, stop: threading.Event) -> None:
    """Publish ``changed`` whenever anything was committed, until ``stop`` is set.

    SQLite itself says so, whichever process it was: an import from the command line shows in an
    open page as a change made in another tab does.
    """
    with database.change_counter() as counter:
        seen = counter()
        while not stop.wait(_WATCH_INTERVAL):
            if (now := counter()) != seen:
                seen = now
                bus.publish(Event(type="changed"))
