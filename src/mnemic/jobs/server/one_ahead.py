"""What takes its time elsewhere is asked for one piece ahead of what is done with it here."""

from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeVar

__all__ = ["one_ahead"]

Piece = TypeVar("Piece")
Got = TypeVar("Got")


def one_ahead(pieces: Iterable[Piece], get: Callable[[Piece], Got]) -> Iterator[tuple[Piece, Got]]:
    """Each piece with what was got for it; the next is got in a thread while this one is used.

    Only one is got at a time, in order. What ``get`` raises is raised where its piece would come.
    """
    with ThreadPoolExecutor(1) as thread:
        before: tuple[Piece, Future[Got]] | None = None
        for piece in pieces:
            coming = piece, thread.submit(get, piece)
            if before is not None:
                yield before[0], before[1].result()
            before = coming
        if before is not None:
            yield before[0], before[1].result()
