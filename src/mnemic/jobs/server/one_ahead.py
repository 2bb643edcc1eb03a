"""What takes its time elsewhere is asked for one piece ahead of what is done with it here."""

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from typing import TypeVar

__all__ = ["one_ahead"]

Piece = TypeVar("Piece")
Got = TypeVar("Got")


@contextmanager
def one_ahead(
    pieces: Sequence[Piece], get: Callable[[Piece], Got]
) -> Iterator[Iterator[tuple[Piece, Got]]]:
    """Each piece with what was got for it; the next is got in a thread while this one is used.

    Only one is got at a time, in order, and none after one that failed. What ``get`` raises is
    raised where its piece would come. At the end nothing is under way, whatever was raised.
    """
    with ThreadPoolExecutor(1) as thread:

        def each_got() -> Iterator[tuple[Piece, Got]]:
            coming = [thread.submit(get, piece) for piece in pieces[:1]]
            for number, piece in enumerate(pieces, start=1):
                got = coming.pop().result()
                coming += [thread.submit(get, following) for following in pieces[number:][:1]]
                yield piece, got

        yield each_got()
