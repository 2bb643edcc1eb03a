"""The API through the real server: what it answers, and what it refuses."""

import http.client
import json
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

import pytest

from mnemic.jobs import import_messages
from mnemic.post import FileMessage
from mnemic.server import Server
from mnemic.store import Database

RULE = {
    "name": "Permits",
    "when": {"any": [{"field": "subject", "test": "words", "values": ["permit"]}]},
    "then": [{"do": "file", "folder": "Moorings/Permits"}, {"do": "label", "label": "Permit"}],
}
MAIL = b"From: Ann <ann@x.example>\r\nTo: moorings@x.example\r\nSubject: A permit\r\n\r\nberth\r\n"


class Caller:
    def __init__(self, server: Server) -> None:
        self.address = server.address

    def raw(self, method: str, path: str, body: Any = None, **headers: str) -> Any:
        content = None if body is None else json.dumps(body).encode()
        request = urllib.request.Request(self.address + path, content, headers, method=method)
        request.add_header("Content-Type", "application/json")
        try:
            return urllib.request.urlopen(request, timeout=10)
        except urllib.error.HTTPError as error:
            return error

    def __call__(self, method: str, path: str, body: Any = None, **headers: str) -> Any:
        with self.raw(method, path, body, **headers) as answer:
            content = answer.read()
            return answer.status, json.loads(content) if content else None


@pytest.fixture
def call(server: Server) -> Caller:
    return Caller(server)


def test_a_rule_from_its_making_to_its_end(call: Caller, deliver: Callable[..., None]) -> None:
    deliver(MAIL)
    status, made = call("POST", "api/rules", RULE)
    assert status == 201
    path = f"api/rules/{made['id']}"
    _, done = call("POST", f"{path}/catch-up")
    assert (done["taken"], done["moved"]) == (1, 1)
    status, changed = call("PUT", path, {**RULE, "enabled": False})
    assert (status, changed["rule"]["enabled"], changed["taken"]) == (200, False, 1)
    deliver(MAIL.replace(b"berth", b"again"))  # the rule is off: it stays in the inbox
    _, mailbox = call("GET", "api/mailbox")
    totals = {folder["path"]: folder["total"] for folder in mailbox["folders"]}
    assert {path: total for path, total in totals.items() if total} == {
        "Inbox": 1,
        "Moorings/Permits": 1,
    }
    assert call("DELETE", path)[0] == 204
    assert call("PUT", path, RULE)[0] == 404
    assert call("POST", f"{path}/catch-up")[0] == 404


def test_rules_are_put_in_order_whole_or_not_at_all(call: Caller) -> None:
    ids = [call("POST", "api/rules", {**RULE, "name": name})[1]["id"] for name in "abc"]
    assert call("PUT", "api/rules/order", {"ids": ids[:2]})[0] == 409
    assert call("PUT", "api/rules/order", {"ids": [ids[2], ids[0], ids[1]]})[0] == 204
    _, line = call("GET", "api/rules")
    assert [each["rule"]["name"] for each in line["rules"]] == ["c", "a", "b"]


def test_what_is_not_valid_is_refused_with_the_field_that_is_wrong(call: Caller) -> None:
    wrong = {
        **RULE,
        "when": {"all": [{"field": "subject", "test": "is", "values": [""]}]},
        "then": [],
    }
    with call.raw("POST", "api/rules", wrong) as answer:
        assert answer.status == 422
        assert answer.headers["Content-Type"] == "application/problem+json"
        problem = json.loads(answer.read())
    assert [each["path"] for each in problem["errors"]] == ["when.all[0].values[0]", "then"]
    assert call("GET", "api/rules")[1]["rules"] == []
    assert call("GET", "api/messages")[0] == 422
    assert call("GET", "api/messages?folder=x")[1]["errors"][0]["path"] == "folder"
    assert call("GET", "api/nowhere")[0] == 404
    connection = http.client.HTTPConnection(call.address.split("/")[2], timeout=10)
    connection.request("POST", "/api/rules", b"{bad", {"Content-Type": "application/json"})
    answer = connection.getresponse()
    assert (answer.status, json.loads(answer.read())["title"]) == (400, "Bad Request")
    connection.close()


def test_a_message_is_downloaded_byte_for_byte_and_shown_as_far_as_it_can_be_read(
    call: Caller, deliver: Callable[..., None]
) -> None:
    broken = b"no header at all\r\n\xff\xfe\0 Content-Type: nonsense\r\n"
    deliver(broken)
    _, listed = call("GET", "api/messages?folder=1")
    message = listed["messages"][0]
    _, opened = call("GET", f"api/messages/{message['id']}")
    assert "no header at all" in opened["text"]
    with call.raw("GET", f"api/messages/{message['id']}/octets") as answer:
        assert answer.read() == broken
        assert answer.headers["Content-Disposition"].startswith("attachment")
        assert answer.headers["X-Content-Type-Options"] == "nosniff"
    assert call("POST", f"api/messages/{message['id']}/seen")[0] == 204
    assert call("GET", "api/mailbox")[1]["folders"][0]["unread"] == 0


HOSTILE = """<script>steal()</script><p onclick="steal()">text</p><img src="https://t.example/1.gif">
<a href="javascript:steal()">a</a><a href="data:text/html,x">b</a><form action="/api"><input></form>
<iframe src="//t.example"></iframe><svg onload="steal()"></svg><meta http-equiv="refresh" content="0">
<div style="background:url(https://t.example/2.gif);color:red">c</div><img src="cid:pic@x">
<base href="https://t.example/"><link rel="stylesheet" href="https://t.example/s.css">"""


def test_hostile_html_is_made_harmless(call: Caller, deliver: Callable[..., None]) -> None:
    deliver(
        b"Content-Type: multipart/related; boundary=b\r\n\r\n--b\r\nContent-Type: text/html\r\n\r\n"
        + HOSTILE.encode()
        + b"\r\n--b\r\nContent-Type: image/png\r\nContent-ID: <pic@x>\r\n"
        b"Content-Transfer-Encoding: base64\r\n\r\niVBORw0KGgo=\r\n--b--\r\n"
    )
    _, listed = call("GET", "api/messages?folder=1")
    number = listed["messages"][0]["id"]
    with call.raw("GET", f"api/messages/{number}/html") as answer:
        page = answer.read().decode()
        policy = answer.headers["Content-Security-Policy"]
    for harm in ("steal", "t.example", "<form", "<iframe", "<svg", "<base", "<link", "http-equiv"):
        assert harm not in page.partition("<body>")[2]
    assert "data:text/html" not in page
    assert 'src="data:image/png;base64,' in page
    assert "color:red" in page.replace(" ", "")
    assert "default-src 'none'" in policy
    assert "sandbox" in policy
    _, opened = call("GET", f"api/messages/{number}")
    assert opened["remote_pictures"] == ["https://t.example/1.gif"]


def test_what_another_process_commits_is_told_to_open_pages(server: Server) -> None:
    with server.bus.stream() as told:
        elsewhere = Database(server.database.path)
        import_messages(
            elsewhere, [FileMessage("x", MAIL, datetime.now(UTC))], now=datetime.now(UTC)
        )
        elsewhere.close()
        event = told.get(timeout=5)
    assert event is not None
    assert event.type == "changed"


def test_only_its_own_host_and_pages_are_answered(call: Caller) -> None:
    assert call("GET", "api/mailbox", Host="evil.example")[0] == 421
    assert call("POST", "api/rules", RULE, Origin="https://evil.example")[0] == 403
    assert call("POST", "api/rules", RULE, Origin=call.address.rstrip("/"))[0] == 201


def test_the_api_describes_itself(call: Caller) -> None:
    status, description = call("GET", "api/openapi.json")
    assert (status, description["openapi"][:3]) == (200, "3.1")


def test_open_pages_are_told_of_mail_that_arrives_and_streams_end_with_their_readers(
    server: Server, deliver: Callable[..., None]
) -> None:
    connection = http.client.HTTPConnection("127.0.0.1", server.port, timeout=10)
    connection.request("GET", "/api/events")
    answer = connection.getresponse()
    told: list[str] = []

    def listen() -> None:
        while not any("arrived" in line for line in told):
            told.append(answer.readline().decode())

    listener = threading.Thread(target=listen)
    listener.start()
    deliver(MAIL)
    listener.join(timeout=2)
    assert not listener.is_alive()
    answer.close()
    connection.close()
    deadline = time.monotonic() + 15
    while server.bus.open_streams and time.monotonic() < deadline:
        deliver(MAIL)  # something to write is what shows that nobody reads any more
        time.sleep(0.1)
    assert server.bus.open_streams == 0
