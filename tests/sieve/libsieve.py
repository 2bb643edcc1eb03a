"""A child process that runs scripts over messages with libsieve, by ctypes.

It reads a JSON list of objects with script, message, sender and recipient, and prints one of what
came of each.
A process of its own, since the library ends it on some input. It knows no copy, body, variables
or date.
"""

import ctypes
import json
import sys
from collections.abc import Callable
from typing import Any

#: Of sieve2_values_t, in its header file's order.
_REDIRECT, _DISCARD, _FILEINTO, _KEEP = 1, 3, 4, 5
_GETSCRIPT, _ALL_HEADERS, _ENVELOPE, _SIZE, _PARTS = 17, 20, 21, 22, 24
_ERRORS = (14, 15, 25, 26)

_CALLBACK = ctypes.CFUNCTYPE(ctypes.c_int, ctypes.c_void_p, ctypes.c_void_p)


class _Entry(ctypes.Structure):
    _fields_ = [("value", ctypes.c_int), ("function", _CALLBACK)]


def _library() -> Any:
    library = ctypes.CDLL("libsieve.so.1")
    library.sieve2_getvalue_string.restype = ctypes.c_char_p
    library.sieve2_getvalue_string.argtypes = [ctypes.c_void_p, ctypes.c_char_p]
    library.sieve2_setvalue_string.argtypes = [ctypes.c_void_p, ctypes.c_char_p, ctypes.c_char_p]
    library.sieve2_setvalue_int.argtypes = [ctypes.c_void_p, ctypes.c_char_p, ctypes.c_int]
    library.sieve2_execute.argtypes = [ctypes.c_void_p, ctypes.c_void_p]
    library.sieve2_callbacks.argtypes = [ctypes.c_void_p, ctypes.POINTER(_Entry)]
    library.sieve2_alloc.argtypes = [ctypes.POINTER(ctypes.c_void_p)]
    return library


class _Run:
    """One script over one message; ``errors`` are what the library tells of them."""

    def __init__(self, asked: dict[str, str]) -> None:
        self._asked, self._library = asked, _library()
        self._kept: list[bytes] = []  # the library does not copy what it is given
        self.folders: list[str] = []
        self.sent_on: list[str] = []
        self.errors: list[str] = []

    def _value(self, context: int, name: bytes) -> str:
        return (self._library.sieve2_getvalue_string(context, name) or b"").decode()

    def _give(self, context: int, **values: str) -> None:
        for name, value in values.items():
            self._kept.extend((name.encode(), value.encode()))
            self._library.sieve2_setvalue_string(context, *self._kept[-2:])

    def _parts(self, context: int) -> None:
        local, _, domain = self._value(context, b"address").rpartition("@")
        user, _, detail = local.partition("+")
        self._give(context, user=user, detail=detail, localpart=local, domain=domain)

    def _acts(self) -> dict[int, Callable[[int], None]]:
        asked, library = self._asked, self._library
        head = asked["message"].partition("\r\n\r\n")[0] + "\r\n\r\n"
        envelope = {"to": asked["recipient"], "from": asked["sender"]}
        octets = len(asked["message"].encode())
        return {
            _REDIRECT: lambda at: self.sent_on.append(self._value(at, b"address")),
            _DISCARD: lambda _: None,
            _FILEINTO: lambda at: self.folders.append(self._value(at, b"mailbox")),
            _KEEP: lambda _: self.folders.append("INBOX"),
            _GETSCRIPT: lambda at: self._give(at, script=asked["script"]),
            _ALL_HEADERS: lambda at: self._give(at, allheaders=head),
            _ENVELOPE: lambda at: self._give(at, **envelope),
            _SIZE: lambda at: library.sieve2_setvalue_int(at, b"size", octets),
            _PARTS: self._parts,
            **dict.fromkeys(_ERRORS, lambda at: self.errors.append(self._value(at, b"message"))),
        }

    def run(self) -> dict[str, Any]:
        """What the library does."""

        def called(act: Callable[[int], None]) -> Any:
            def call(context: int, _: object) -> int:
                act(context)
                return 0

            return _CALLBACK(call)

        entries = [_Entry(number, called(act)) for number, act in self._acts().items()]
        context = ctypes.c_void_p()
        self._library.sieve2_alloc(ctypes.byref(context))
        self._library.sieve2_callbacks(context, (_Entry * (len(entries) + 1))(*entries))
        self._library.sieve2_execute(context, None)
        return {"folders": self.folders, "sent_on": self.sent_on, "errors": self.errors}


if __name__ == "__main__":
    print(json.dumps([_Run(case).run() for case in json.load(sys.stdin)]))  # noqa: T201 -- what its parent waits for
