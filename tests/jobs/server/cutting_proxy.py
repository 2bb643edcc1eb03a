"""A proxy on loopback that cuts each connection after so many octets, whoever sent them."""

import selectors
import socket
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress


@contextmanager
def cutting_proxy(port: int, after: int) -> Iterator[int]:
    """Stands before a port; its own port. It ends with the block."""
    listening = socket.create_server(("127.0.0.1", 0))
    listening.settimeout(0.1)
    stopping = threading.Event()

    def accept() -> None:
        while not stopping.is_set():
            with suppress(TimeoutError):
                client, _ = listening.accept()
                with client, socket.create_connection(("127.0.0.1", port)) as server:
                    _carry(client, server, after, stopping)

    thread = threading.Thread(target=accept)
    thread.start()
    try:
        yield listening.getsockname()[1]
    finally:
        stopping.set()
        thread.join()
        listening.close()


def _carry(
    client: socket.socket, server: socket.socket, after: int, stopping: threading.Event
) -> None:
    with selectors.DefaultSelector() as selector:
        selector.register(client, selectors.EVENT_READ, server)
        selector.register(server, selectors.EVENT_READ, client)
        while not stopping.is_set():
            for key, _ in selector.select(0.1):
                source = key.fileobj
                assert isinstance(source, socket.socket)
                try:
                    octets = source.recv(min(65_536, after))
                    key.data.sendall(octets)
                except OSError:
                    return
                after -= len(octets)
                if not octets or after <= 0:
                    return
