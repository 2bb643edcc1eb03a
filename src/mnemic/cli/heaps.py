"""The C library's heaps, which all threads of a server share.

Each keeps what was freed in it: with a heap for each thread, which is usual (glibc), memory that is
needed once stays as many times as there are threads.
"""

import ctypes
from contextlib import suppress

__all__ = ["share_heaps"]

#: How many heaps, and what sets their number (``M_ARENA_MAX`` in glibc's malloc.h).
_HEAPS, _ARENA_MAX = 2, -8


def share_heaps() -> None:
    """Let threads share a few heaps; it counts only before the first of them begins.

    Where the C library has no such setting, nothing is changed.
    """
    with suppress(AttributeError, OSError, TypeError):
        ctypes.CDLL(None).mallopt(_ARENA_MAX, _HEAPS)
