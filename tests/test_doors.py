"""The doors under siege, from this computer alone: everybody else is served meanwhile.

Each siege is bounded, and ends with its test.
"""

import http.client
import json
import resource
import smtplib
import socket
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager

import pytest

from mnemic import http_door
from mnemic.server import Server
from tests.api.caller import Caller

UPLOAD = (
    b"POST /api/imports?name=a.mbox HTTP/1.1\r\nHost: %s\r\nContent-Length: 1000000\r\n\r\nhalf"
)
#: What somebody sends who never ends a request: nothing, half a header, half a body, half a chunk.
HALVES = {
    "idle": b"",
    "half a header": b"GET /api/rules HTTP/1.1\r\nHost: %s\r\n",
    "half an upload": UPLOAD,
    "half a body": UPLOAD.replace(b"imports?name=a.mbox", b"rules"),
    "an endless chunk": b"POST /api/rules HTTP/1.1\r\nHost: %s\r\nTransfer-Encoding: chunked\r\n\r\nfff\r\nhalf",
    "kept alive": b"GET /api/labels HTTP/1.1\r\nHost: %s\r\n\r\n",
}  # fmt: skip


@contextmanager
def besieged(port: int, many: int, said: bytes) -> Iterator[list[socket.socket]]:
    with ExitStack() as stack:
        opened = []
        for _ in range(many):
            connection = stack.enter_context(
                socket.create_connection(("127.0.0.1", port), timeout=60)
            )
            if said:
                connection.sendall(said)
            opened.append(connection)
        yield opened


def host(server: Server) -> bytes:
    return b"127.0.0.1:%d" % server.port


@pytest.fixture(autouse=True)
def many_files() -> Iterator[None]:
    before = resource.getrlimit(resource.RLIMIT_NOFILE)
    resource.setrlimit(resource.RLIMIT_NOFILE, (min(4_096, before[1]), before[1]))
    yield
    resource.setrlimit(resource.RLIMIT_NOFILE, before)


@pytest.mark.parametrize("half", HALVES)
def test_the_site_answers_whatever_others_leave_half_done(
    server: Server,
    call: Caller,
    half: str,
) -> None:
    said = HALVES[half]
    with besieged(
        server.port, http_door.CONNECTION_LIMIT + 60, said % host(server) if said else b""
    ):
        for _ in range(3):
            assert call("GET", "api/mailbox")[0] == 200


@pytest.mark.parametrize("half", ["half a header", "half an upload", "an endless chunk"])
def test_who_never_ends_a_request_is_let_go(
    server: Server, half: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(http_door, "_HEADER_TIME", 0.3)
    monkeypatch.setattr(http_door, "_GRACE", 0.3)
    with besieged(server.port, 1, HALVES[half] % host(server)) as (one,):
        assert one.recv(100) == b""  # closed, well within its time
        assert not list((server.database.path.parent / "incoming").iterdir())


def test_who_does_not_read_an_answer_is_let_go_and_few_can_be_exported_at_a_time(
    server: Server,
    call: Caller,
    deliver: Callable[..., None],
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    deliver(b"Subject: large\r\n\r\n" + (b"x" * 900 + b"\r\n") * 30_000)
    inbox = next(folder["id"] for folder in call("GET", "api/mailbox")[1]["folders"] if folder["role"] == "inbox")  # fmt: skip
    asked = b"GET /api/export?folder=%d HTTP/1.1\r\nHost: %s\r\n\r\n" % (inbox, host(server))
    with besieged(server.port, 12, asked):
        assert call("GET", "api/mailbox")[0] == 200
        for _ in range(100):
            with call.raw("HEAD", f"api/export?folder={inbox}") as answer:
                if answer.status == 503:
                    break
        else:
            raise AssertionError("any number can be exported at a time")
        monkeypatch.setattr(http_door, "_GRACE", 0.2)
        for _ in range(100):
            with call.raw("HEAD", f"api/export?folder={inbox}") as answer:
                if answer.status == 200:
                    break
            time.sleep(0.1)
        else:
            raise AssertionError("who does not read holds on to it")


@pytest.mark.parametrize(
    ("header", "status"),
    [
        ({"Host": "evil.example"}, 421),
        ({"Origin": "https://evil.example"}, 403),
        ({"Sec-Fetch-Site": "cross-site"}, 403),
        ({"Sec-Fetch-Site": "same-site"}, 403),
        ({"Content-Length": str(33 * 1024 * 1024)}, 413),
        ({"Content-Length": "9" * 400}, 413),
        ({"Expect": "100-continue", "Origin": "null"}, 403),
    ],
)
def test_it_is_refused_by_its_header_before_its_body_is_read(
    server: Server, header: dict[str, str], status: int
) -> None:
    connection = http.client.HTTPConnection("127.0.0.1", server.port, timeout=60)
    fields = {"Content-Length": "30000000", "Content-Type": "application/json", **header}
    connection.putrequest("POST", "/api/rules", skip_host="Host" in fields)
    for name, value in fields.items():
        connection.putheader(name, value)
    connection.endheaders()  # and nothing of the body
    with connection.getresponse() as answer:
        assert (answer.status, json.loads(answer.read())["status"]) == (status, status)
    connection.close()


def test_who_asks_for_what_and_what_is_kept_of_it(call: Caller) -> None:
    own = call.address.rstrip("/")
    cases = [
        ("api/events", {"Origin": "https://evil.example"}, 403),
        ("api/mailbox", {"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "navigate"}, 403),
        ("rules", {"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "no-cors"}, 403),
        ("rules", {"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "navigate"}, 200),
        ("api/mailbox", {"Sec-Fetch-Site": "same-origin", "Origin": own}, 200),
        ("api/mailbox", {"Sec-Fetch-Site": "none"}, 200),
    ]
    for path, headers, status in cases:
        with call.raw("GET", path, **headers) as answer:
            assert answer.status == status, (path, headers)
    with call.raw("GET", "api/mailbox") as answer:
        kept = answer.headers
    assert kept["Cache-Control"] == "no-store"
    assert {kept[f"Cross-Origin-{name}-Policy"] for name in ("Opener", "Resource")} == {
        "same-origin"
    }
    assert "camera=()" in kept["Permissions-Policy"]


def test_mail_comes_in_though_others_sit_at_its_door(
    server: Server, deliver: Callable[..., None]
) -> None:
    with besieged(server.smtp_port, 1_100, b"") as opened:
        greetings = [client.recv(200)[:3] for client in opened[-3:]]
        assert greetings == [b"421"] * 3  # and the connection is closed
        for client in opened[:20]:
            client.close()
        time.sleep(0.2)
        deliver(b"Subject: through\r\n\r\n")


@pytest.mark.parametrize("address", [b"a@\xff", b"\xe4@x.example", b"a\x00@x.example"])
def test_no_envelope_is_refused_for_ever(server: Server, call: Caller, address: bytes) -> None:
    with smtplib.SMTP("127.0.0.1", server.smtp_port, timeout=60) as client:
        client.ehlo()
        assert client.sock is not None
        for said in (b"MAIL FROM:<%s>" % address, b"RCPT TO:<%s>" % address, b"DATA"):
            client.sock.sendall(said + b"\r\n")
            code = client.getreply()[0]
            if code >= 500:
                return  # refused in words, for good
            assert code in (250, 354)
        client.sock.sendall(b"Subject: odd envelope\r\n\r\n.\r\n")
        assert client.getreply()[0] == 250
    messages = call("GET", "api/messages?find=odd")[1]["messages"]
    assert call("GET", f"api/messages/{messages[0]['id']}")[0] == 200


def test_a_message_has_at_most_a_thousand_recipients(server: Server) -> None:
    with smtplib.SMTP("127.0.0.1", server.smtp_port, timeout=30) as client:
        client.ehlo()
        client.mail("a@x.example")
        codes = [client.rcpt(f"b{n}@x.example")[0] for n in range(1_001)]
    assert codes == [250] * 1_000 + [452]
