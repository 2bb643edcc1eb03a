"""Whoever asks the API, and what they ask for again and again."""

import json
import time
import urllib.error
import urllib.request
from typing import Any

from mnemic.server import Server

RULE = {
    "name": "Permits",
    "when": {"any": [{"field": "subject", "test": "words", "values": ["permit"]}]},
    "then": [{"do": "file", "folder": "Moorings/Permits"}, {"do": "label", "label": "Permit"}],
}


class Caller:
    def __init__(self, server: Server) -> None:
        self.address = server.address

    def raw(self, method: str, path: str, body: Any = None, **headers: str) -> Any:
        content = None if body is None else json.dumps(body).encode()
        return self.octets(method, path, content, **headers)

    def octets(self, method: str, path: str, content: bytes | None, **headers: str) -> Any:
        """What is answered to a body that need not be JSON."""
        request = urllib.request.Request(self.address + path, content, headers, method=method)
        request.headers.setdefault("Content-type", "application/json")
        try:
            return urllib.request.urlopen(request, timeout=60)
        except urllib.error.HTTPError as error:
            return error

    def __call__(self, method: str, path: str, body: Any = None, **headers: str) -> Any:
        with self.raw(method, path, body, **headers) as answer:
            content = answer.read()
            return answer.status, json.loads(content) if content else None


def made(call: Caller, **changes: Any) -> int:
    status, done = call("POST", "api/rules", {"rule": {**RULE, **changes}})
    assert status == 201
    return int(done["rules"][0]["id"])


def caught_up(call: Caller, **asked: Any) -> Any:
    """A catch-up, waited for."""
    status, job = call("POST", "api/catch-ups", asked)
    assert status == 202
    waited = time.monotonic()
    while job["state"] not in ("done", "stopped"):
        assert time.monotonic() - waited < 60
        time.sleep(0.05)
        _, job = call("GET", f"api/catch-ups/{job['id']}")
    return job
