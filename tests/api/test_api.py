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

from mnemic.jobs import import_messages
from mnemic.post import FileMessage
from mnemic.server import Server
from mnemic.store import Database
from tests.api.caller import RULE, Caller, caught_up, made

MAIL = b"From: Ann <ann@x.example>\r\nTo: moorings@x.example\r\nSubject: A permit\r\n\r\nberth\r\n"


def test_a_rule_from_its_making_to_its_end(call: Caller, deliver: Callable[..., None]) -> None:
    deliver(MAIL)
    status, made = call("POST", "api/rules", {"rule": RULE})
    assert (status, made["saying"]) == (201, "Rule “Permits” made")
    rule_id = made["rules"][0]["id"]
    path = f"api/rules/{rule_id}"
    done = caught_up(call, rule_ids=[rule_id])
    assert (done["report"]["taken"], done["report"]["moved"]) == (1, 1)
    status, changed = call("PUT", path, {"rule": {**RULE, "enabled": False}})
    (saved,) = changed["rules"]
    assert (status, saved["rule"]["enabled"], saved["taken"]) == (200, False, 1)
    assert changed["changes"] == ["Switched off"]
    deliver(MAIL.replace(b"berth", b"again"))  # the rule is off: it stays in the inbox
    _, mailbox = call("GET", "api/mailbox")
    totals = {folder["path"]: folder["total"] for folder in mailbox["folders"]}
    assert {path: total for path, total in totals.items() if total} == {
        "Inbox": 1,
        "Moorings/Permits": 1,
    }
    assert call("POST", "api/rules/acts", {"ids": [rule_id], "do": "delete"})[0] == 200
    assert call("GET", "api/rules")[1]["rules"] == []
    assert call("PUT", path, {"rule": RULE})[0] == 404
    assert call("GET", f"{path}/work")[1]["month"] == 1  # a page that still shows it may ask
    assert call("POST", "api/catch-ups", {"rule_ids": [rule_id]})[0] == 404


def test_rules_are_put_in_order_whole_or_not_at_all(call: Caller) -> None:
    ids = [made(call, name=name) for name in "abc"]
    assert call("PUT", "api/rules/order", {"ids": ids[:2]})[0] == 409
    assert call("PUT", "api/rules/order", {"ids": [ids[2], ids[0], ids[1]]})[0] == 200
    _, line = call("GET", "api/rules")
    assert [rule["rule"]["name"] for rule in line["rules"]] == ["c", "a", "b"]


def test_what_is_not_valid_is_refused_with_the_field_that_is_wrong(call: Caller) -> None:
    wrong = {
        **RULE,
        "when": {"all": [{"field": "subject", "test": "is", "values": [""]}]},
        "then": [],
    }
    with call.raw("POST", "api/rules", {"rule": wrong}) as answer:
        assert answer.status == 422
        assert answer.headers["Content-Type"] == "application/problem+json"
        problem = json.loads(answer.read())
    assert [error["path"] for error in problem["errors"]] == [
        "rule.when.all[0].values[0]",
        "rule.then",
    ]
    assert call("GET", "api/rules")[1]["rules"] == []
    assert call("GET", "api/messages")[0] == 422
    assert call("GET", "api/messages?folder=x")[1]["errors"][0]["path"] == "folder"
    assert call("GET", "api/nowhere")[0] == 404
    connection = http.client.HTTPConnection(call.address.split("/")[2], timeout=60)
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
    with server.bus.stream() as stream:
        elsewhere = Database(server.database.path)
        import_messages(
            elsewhere, [FileMessage("x", MAIL, datetime.now(UTC))], now=datetime.now(UTC)
        )
        elsewhere.close()
        event = stream.get(timeout=60)
    assert event is not None
    assert event.type == "changed"


def test_only_its_own_host_and_pages_are_answered(call: Caller) -> None:
    assert call("GET", "api/mailbox", Host="evil.example")[0] == 421
    assert call("POST", "api/rules", {"rule": RULE}, Origin="https://evil.example")[0] == 403
    assert call("POST", "api/rules", {"rule": RULE}, Origin=call.address.rstrip("/"))[0] == 201


def test_the_api_describes_itself(call: Caller) -> None:
    status, description = call("GET", "api/openapi.json")
    assert (status, description["openapi"][:3]) == (200, "3.1")


def test_open_pages_are_told_of_mail_that_arrives_and_streams_end_with_their_readers(
    server: Server, deliver: Callable[..., None]
) -> None:
    connection = http.client.HTTPConnection("127.0.0.1", server.port, timeout=60)
    connection.request("GET", "/api/events")
    answer = connection.getresponse()
    heard: list[int] = []

    def listen() -> None:
        while sum(heard) < 3:  # what comes in quick succession is told together
            line = answer.readline().decode()
            if "arrived" in line:
                heard.append(json.loads(line.removeprefix("data: "))["count"])

    listener = threading.Thread(target=listen)
    listener.start()
    for _ in range(3):
        deliver(MAIL)
    listener.join(timeout=60)
    assert not listener.is_alive()
    assert sum(heard) == 3
    answer.close()
    connection.close()
    deadline = time.monotonic() + 60
    while server.bus.open_streams and time.monotonic() < deadline:
        deliver(MAIL)  # something to write is what shows that nobody reads any more
        time.sleep(0.1)
    assert server.bus.open_streams == 0


def sent_in(call: Caller, deliver: Callable[..., None], *subjects: str) -> list[int]:
    for number, subject in enumerate(subjects):
        octets = (
            f"Message-ID: <{number}@x.example>\r\nFrom: Ann <ann@x.example>\r\nSubject: {subject}"
        )
        deliver(f"{octets}\r\n\r\nberth {number}\r\n".encode(), "moorings@x.example")
    _, listed = call("GET", "api/messages?folder=1")
    return [message["id"] for message in reversed(listed["messages"])]


def test_a_message_sent_again_after_a_lost_answer_is_here_once(
    call: Caller, deliver: Callable[..., None]
) -> None:
    octets = b"Message-ID: <1@x.example>\r\nSubject: once\r\n\r\n"
    for recipients in (["a@x.example"], ["a@x.example"], ["b@x.example"]):
        deliver(octets, *recipients)
    alarm = b"Subject: ALARM\r\n\r\n"  # a machine that names no message: both count
    deliver(alarm)
    deliver(alarm)
    _, listed = call("GET", "api/messages?folder=1")
    assert sorted(message["subject"] for message in listed["messages"]) == [
        "ALARM",
        "ALARM",
        "once",
        "once",
    ]


def test_changes_are_made_to_a_whole_search_said_in_words_and_undone(
    call: Caller, deliver: Callable[..., None]
) -> None:
    first, *_ = sent_in(call, deliver, "permit one", "permit two", "other")
    body = {"which": {"find": "permit"}, "do": {"do": "file", "folder": "Moorings/Permits"}}
    _, done = call("POST", "api/changes", body)
    assert done["saying"] == "2 messages moved to Moorings / Permits"
    _, opened = call("GET", f"api/messages/{first}")
    assert opened["steps"][1]["saying"] == "Moved from Inbox to Moorings / Permits"
    assert opened["by_hand"] is not None
    _, undone = call("POST", "api/undo", {})
    assert (undone["restored"], undone["saying"]) == (2, f"Undone: {done['saying']}")
    assert call("POST", "api/undo", {"run_id": done["run_id"]})[0] == 409
    assert call("POST", "api/undo", {})[1]["saying"] == "Nothing left to undo"
    assert call("GET", "api/messages?folder=1")[1]["total"] == 3
    wrong = {"which": {"ids": [1], "folder": 1}, "do": {"do": "read"}}
    assert call("POST", "api/changes", wrong)[0] == 422
    forward = {"which": {"ids": [1]}, "do": {"do": "forward", "to": ["a@b.example"]}}
    assert "is for rules" in call("POST", "api/changes", forward)[1]["detail"]


def test_rules_forward_and_answer_to_the_outside_where_it_is_kept(
    call: Caller, deliver: Callable[..., None]
) -> None:
    account = {"name": "Office", "address": "me@y.example", "aliases": ["moorings@x.example"]}
    assert call("POST", "api/accounts", account)[0] == 201
    taken = {"name": "Other", "address": "Moorings@X.example"}
    assert "belongs to “Office” already" in call("POST", "api/accounts", taken)[1]["detail"]
    rule = {
        "name": "Away",
        "when": {"field": "addressed", "test": "is", "values": ["not_me"]},
        "then": [
            {"do": "forward", "to": ["bram@y.example"]},
            {"do": "reply", "text": "I am away."},
            {"do": "flag"},
            {"do": "priority", "level": "high"},
            {"do": "copy", "folder": "Copies"},
        ],
    }
    assert call("POST", "api/rules", {"rule": rule})[0] == 201
    sent_in(call, deliver, "hello", "hello again")
    _, out = call("GET", "api/outside/posted")
    assert [(posted["kind"], posted["recipient"]) for posted in out["posted"]] == [
        ("forward", "bram@y.example"),  # the second answer is held back: one in seven days
        ("reply", "ann@x.example"),
        ("forward", "bram@y.example"),
    ]
    with call.raw("GET", f"api/outside/posted/{out['posted'][2]['id']}") as answer:
        forwarded = answer.read()
    assert forwarded.startswith(
        b"X-Mnemic-Forwarded-For: me@y.example\r\nResent-From: me@y.example"
    )
    assert forwarded.endswith(b"Subject: hello\r\n\r\nberth 0\r\n")  # its octets as they came
    with call.raw("GET", f"api/outside/posted/{out['posted'][1]['id']}") as answer:
        reply = answer.read()
    assert b"Auto-Submitted: auto-replied" in reply
    assert b"Subject: Auto: hello" in reply
    _, page = call("GET", "api/messages?find=state:flagged+folder:Inbox")
    assert [(message["priority"], message["flagged"]) for message in page["messages"]] == [
        ("high", True),
        ("high", True),
    ]
    assert call("GET", "api/messages?find=folder:Copies")[1]["total"] == 2
    deliver(forwarded, "moorings@x.example")  # it comes back: no second time round
    assert len(call("GET", "api/outside/posted")[1]["posted"]) == 3


def test_a_test_message_takes_the_way_of_real_mail(call: Caller) -> None:
    letter = {
        "sender": "Jürgen <jürgen@straße.example>",
        "to": ["moorings+winter@x.example"],
        "subject": "Grüße",
        "text": "Hallo",
        "headers": {"Importance": "high"},
    }
    then = [{"do": "file", "folder": "Gruss"}]
    when = {"field": "subject", "test": "words", "values": ["Grüße"]}
    rule = {"name": "Greetings", "when": when, "then": then}
    assert call("POST", "api/rules", {"rule": rule})[0] == 201
    _, sent = call("POST", "api/outside/messages", letter)
    where = sent["message"]
    assert (where["folder"], where["reason"]["rule_name"]) == ("Gruss", "Greetings")
    _, page = call("GET", "api/messages?find=to:moorings%2Bwinter+priority:high")
    (message,) = page["messages"]
    assert (message["sender_name"], message["subject"]) == ("Jürgen", "Grüße")
    assert call("POST", "api/outside/messages", {**letter, "sender": "nobody"})[0] == 422


def test_mail_is_uploaded_exported_and_comes_back_byte_for_byte(
    call: Caller, server: Server
) -> None:
    mail = [b"Subject: one\n\nFrom me\n", b"Subject: two\r\n\r\nno end"]
    boxes = b"".join(
        b"From x@x.example Mon May  4 09:00:00 2026\n" + message + b"\n\n" for message in mail
    )

    def upload(name: str, octets: bytes) -> dict[str, Any]:
        address = f"{server.address}api/imports?name={name}&sort=true"
        request = urllib.request.Request(address, octets, method="POST")
        request.add_header("Content-Type", "application/octet-stream")
        with urllib.request.urlopen(request, timeout=60) as answer:
            number = json.loads(answer.read())["id"]
        for _ in range(200):
            _, now = call("GET", f"api/imports/{number}")
            if now["state"] in ("finished", "refused"):
                break
            time.sleep(0.05)
        progress: dict[str, Any] = now
        return progress

    first = upload("mail.mbox", boxes)
    assert (first["state"], first["taken_in"], first["done"]) == ("finished", 2, 1.0)
    again = upload("mail.mbox", boxes)
    assert (again["taken_in"], again["doubles"]) == (0, 2)
    refused = upload("../../evil.png", b"\x89PNG")
    assert (refused["state"], refused["taken_in"]) == ("refused", 0)
    assert "../../evil.png: this is not mail" in refused["problem"]
    for form in ("mbox", "maildir"):
        with call.raw("GET", f"api/export?folder=1&format={form}") as answer:
            assert answer.headers["Content-Disposition"].startswith("attachment")
            exported = answer.read()
        back = upload(f"mail.{'mbox' if form == 'mbox' else 'tar'}", exported)
        assert (back["taken_in"], back["doubles"]) == (0, 2)  # the same octets, both ways
    assert call("GET", "api/imports/999")[0] == 404


def test_attachments_are_downloads_whatever_their_sender_says(
    call: Caller, deliver: Callable[..., None]
) -> None:
    deliver(
        b"Content-Type: multipart/mixed; boundary=b\r\n\r\n--b\r\nContent-Type: text/html\r\n"
        b'Content-Disposition: attachment; filename="../../run me\x07.html"\r\n\r\n<script>x</script>\r\n--b--\r\n'
    )
    number = call("GET", "api/messages?folder=1")[1]["messages"][0]["id"]
    with call.raw("GET", f"api/messages/{number}/attachments/0") as answer:
        assert answer.read() == b"<script>x</script>"
        assert answer.headers["Content-Type"] == "application/octet-stream"
        assert answer.headers["X-Content-Type-Options"] == "nosniff"
        assert answer.headers["Content-Disposition"].startswith("attachment; filename=")
        assert "/" not in answer.headers["Content-Disposition"]
    assert call("GET", f"api/messages/{number}/attachments/1")[0] == 404
    with call.raw("GET", f"api/messages/{number}/source") as answer:
        assert answer.headers["Content-Type"] == "text/plain; charset=utf-8"


def test_contacts_come_and_go_as_vcard(call: Caller, server: Server) -> None:
    card = b"BEGIN:VCARD\r\nVERSION:3.0\r\nFN:Ann\r\nEMAIL:ann@x.example\r\nTEL:1\r\nEND:VCARD\r\n"

    def put(octets: bytes) -> Any:
        request = urllib.request.Request(f"{server.address}api/contacts.vcf", octets, method="POST")
        request.add_header("Content-Type", "text/vcard")
        try:
            with urllib.request.urlopen(request, timeout=60) as answer:
                return json.loads(answer.read())
        except urllib.error.HTTPError as error:
            return error.code

    assert put(card) == {"added": 1, "known": 0}
    assert put(card) == {"added": 0, "known": 1}
    assert put(b"nothing") == 422
    with call.raw("GET", "api/contacts.vcf") as answer:
        assert answer.read() == card
    (ann,) = call("GET", "api/contacts")[1]["contacts"]
    changed = {"name": "Ann B", "addresses": ["ann@x.example", "b@x.example"]}
    assert call("PUT", f"api/contacts/{ann['id']}", changed)[1]["name"] == "Ann B"
    with call.raw("GET", "api/contacts.vcf") as answer:
        assert b"TEL:1" in answer.read()
    assert call("DELETE", f"api/contacts/{ann['id']}")[0] == 204


def test_what_is_dropped_into_the_folder_is_taken_in(call: Caller, server: Server) -> None:
    drop = server.database.path.parent / "drop"
    (drop / "one.eml").write_bytes(b"Subject: dropped\n\n")
    for _ in range(100):
        if call("GET", "api/messages?find=dropped")[1]["total"]:
            break
        time.sleep(0.1)
    assert (drop / "taken" / "one.eml").exists()
