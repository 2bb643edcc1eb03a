"""Whatever is asked is answered in words: no number, text or nesting makes a mistake of ours."""

import json
import urllib.parse
from collections.abc import Callable
from typing import Any

import pytest

from tests.api.caller import Caller, made

RULE = {"name": "x", "when": {"always": True}, "then": [{"do": "flag"}]}
#: The first number that a reader of JSON may mistake, SQLite's first, and one for nobody.
NUMBERS = [2**53, 2**63, -(2**63) - 1, 10**4_000]
#: Texts that neither UTF-8 nor a line of a screen can hold.
TEXTS = ["a\0", "a\ud800", "a\r\nb", "\x1b[31m"]

PATHS = ["messages/{}", "messages/{}/html", "messages/1/attachments/{}", "rules/{}/work", "history/{}/messages", "imports/{}", "messages?folder={}", "messages?offset={}", "history?before={}", "export?label={}", "rules/document?ids={}"]  # fmt: skip
BODIES: list[tuple[str, str, Any]] = [
    ("POST", "changes", {"which": {"ids": ["?"]}, "plain": "archive"}),
    ("POST", "changes", {"which": {"folder": "?"}, "plain": "archive"}),
    ("POST", "undo", {"run_id": "?"}),
    ("POST", "undo", {"run_id": 1, "message_id": "?"}),
    ("PUT", "rules/order", {"ids": ["?"]}),
    ("POST", "catch-ups", {"rule_ids": ["?"]}),
    ("POST", "rules", {"rule": RULE, "pins": [{"message_id": "?", "wanted": True}]}),
    ("POST", "rules", {"rule": {**RULE, "when": {"field": "size", "test": "over", "values": ["?"]}}}),
]  # fmt: skip
NAMES: list[tuple[str, Any]] = [
    ("rules", {"rule": {**RULE, "name": "?"}}),
    ("rules", {"rule": {**RULE, "then": [{"do": "file", "folder": "?"}]}}),
    ("rules", {"rule": {**RULE, "then": [{"do": "label", "label": "?"}]}}),
    ("folders", {"path": "?"}),
    ("labels", {"name": "?"}),
    ("contacts", {"name": "?", "addresses": ["q@b.example"]}),
    ("accounts", {"name": "?", "address": "a@b.example"}),
    ("changes", {"which": {"find": "?"}, "plain": "archive"}),
    ("outside/messages", {"sender": "a@b.example", "to": ["c@d.example"], "subject": "?"}),
    ("outside/messages", {"sender": "a@b.example", "to": ["c@d.example"], "headers": {"X": "?"}}),
    ("outside/messages", {"sender": "a@b.example", "to": ["c@d.example"], "headers": {"?": "x"}}),
]  # fmt: skip


def filled(body: Any, value: Any) -> Any:
    """The body with the value in place of each question mark, as a value or as a key."""
    if isinstance(body, dict):
        return {value if k == "?" else k: filled(v, value) for k, v in body.items()}
    if isinstance(body, list):
        return [filled(item, value) for item in body]
    return value if body == "?" else body


@pytest.mark.parametrize("number", NUMBERS, ids=["2^53", "2^63", "-2^63-1", "10^4000"])
def test_no_number_is_too_large_to_be_refused_in_words(call: Caller, number: int) -> None:
    for path in PATHS:
        status, answer = call("GET", "api/" + path.format(number))
        assert status in (404, 422), path
        assert answer["detail"]
    for method, path, body in BODIES:
        status, answer = call(method, f"api/{path}", filled(body, number))
        assert (status, bool(answer["errors"])) == (422, True), path
    assert call("POST", "api/undo", {"run_id": 2**53 - 1})[0] == 404


@pytest.mark.parametrize("text", TEXTS, ids=["NUL", "half a character", "two lines", "escape"])
def test_no_name_is_kept_that_can_t_be_told_again(call: Caller, text: str) -> None:
    for path, body in NAMES:
        status, answer = call("POST", f"api/{path}", filled(body, text))
        assert (status, bool(answer["errors"])) == (422, True), path
    asked = urllib.parse.quote(text.encode("utf-8", "surrogatepass"))
    for path in ("messages?find=", "find/suggestions?text=", "imports?name="):
        method = "POST" if "imports" in path else "GET"
        assert call(method, f"api/{path}{asked}")[0] in (
            (422,) if "\ud800" not in text else (200, 202, 422)
        )
    assert call("GET", "api/rules/check")[0] == 200


@pytest.mark.parametrize("day", ["9999-12-31", "0001-01-01"])
@pytest.mark.parametrize("prefix", ["on", "before", "after"])
def test_the_first_and_the_last_day_can_be_looked_for(call: Caller, prefix: str, day: str) -> None:
    assert call("GET", f"api/messages?find={prefix}:{day}")[0] == 200
    with call.raw("GET", f"api/export?find={prefix}:{day}") as exported:
        assert exported.status == 200


@pytest.mark.parametrize(
    "body",
    [b"[" * 1_000 + b"]" * 1_000, b'{"a":' * 100_000, b'{"run_id":' + b"9" * 5_000 + b"}", b'{"format":"mnemic-rules","version":' + b"9" * 5_000 + b',"rules":[]}', b"\xff", b"NaN", b'{"rule":' + b'{"not":' * 900 + b"1" + b"}" * 901, b'{"run_id":1e400}', b"null"],
    ids=range(9),
)  # fmt: skip
def test_no_json_is_too_odd_to_be_refused_in_words(call: Caller, body: bytes) -> None:
    for path in ("rules", "rules/document", "rehearsal"):
        with call.octets("POST", f"api/{path}", body) as answer:
            assert answer.status in (400, 422), path
            assert json.loads(answer.read())["detail"]


#: Charsets that are none, halves of characters, names with control characters, octets of no text.
ODD_MAIL = (
    b"Subject: =?raw_unicode_escape?q?=5Cud800?= =?utf-7?q?+2AA-?= hello %d\r\n"
    b"From: =?idna?q?xn--=ff?= <a@\xff.example>\r\nX-Tag: =?undefined?b?/w==?= =?x\x00?q?a?=\r\n"
    b"Content-Type: multipart/mixed; boundary=x\r\n\r\n--x\r\n"
    b"Content-Disposition: attachment; filename*=utf-8''a%%00%%0d%%0ab%%1b.pdf\r\n"
    b"Content-Type: application/\xff; name*=punycode''a%%FF\r\n\r\nx\r\n--x\r\n"
    b"Content-Type: text/plain; charset=raw_unicode_escape\r\n\r\n\\ud800 text\r\n--x--\r\n"
)


def test_odd_mail_can_be_opened_asked_about_and_made_rules_of(
    call: Caller,
    deliver: Callable[..., None],
) -> None:
    for number, (field, more) in enumerate([("header", {"name": "X-Tag"}), ("attachment", {})]):
        when = {"field": field, "test": "exists", **more}
        made(call, name=f"r{number}", when=when, then=[{"do": "flag"}])
        deliver(ODD_MAIL % number)
    listed = call("GET", "api/messages?find=hello")[1]["messages"]
    ids = [message["id"] for message in listed]
    assert len(ids) == 2
    for key in ids:
        assert call("GET", f"api/messages/{key}")[1]["trail"]
        assert call("GET", f"api/messages/{key}/what-if")[0] == 200
        with call.raw("GET", f"api/messages/{key}/attachments/0") as attached:
            assert attached.status == 200
    assert call("POST", "api/facts/common", {"which": {"ids": ids}})[0] == 200
    assert call("GET", "api/rules/check")[0] == 200


MANY = [f"w{number}" for number in range(10_000)]
FULL: list[dict[str, Any]] = [
    {"field": "subject", "test": "contains", "values": MANY},
    {"field": "body", "test": "words", "values": MANY},
    {"field": "from", "test": "is", "values": [f"{word}@x.example" for word in MANY]},
    {"field": "recipient", "part": "domain", "test": "under", "values": [f"{word}.example" for word in MANY]},
    {"field": "list", "test": "ends", "values": MANY},
    {"field": "header", "name": "X-Tag", "test": "regex", "values": [f"^{word}$" for word in MANY]},
    {"field": "folder", "test": "is", "values": [*MANY, "Inbox"]},
    {"field": "received", "test": "after", "values": ["9999-12-31"] * 9_999 + ["2020-01-01"]},
    {"field": "size", "test": "over", "values": [10**9 + number for number in range(9_999)] + [1]},
]  # fmt: skip
LETTER = b"From: w9999@x.example\nTo: a@b.w9998.example\nSubject: to w9999\nList-Id: <a.w9999>\nX-Tag: w9999\n\nsay w9999\n"


def test_a_rule_with_as_many_values_as_it_may_have_works_everywhere(
    call: Caller,
    deliver: Callable[..., None],
) -> None:
    deliver(LETTER)
    for when in FULL:
        when = {**when, "values": when["values"][-10_000:]}
        rule = {**RULE, "name": f"{when['field']}", "when": when}
        status, rehearsal = call("POST", "api/rehearsal", rule)
        assert (status, rehearsal["takes"]) == (200, 1), when["field"]
        assert call("POST", "api/rules", {"rule": rule})[0] == 201
    small = {**RULE, "when": {"field": "subject", "test": "is", "values": ["w1"]}}
    made(call, **small)
    assert call("GET", "api/rules/check")[0] == 200
    ids = [stored["id"] for stored in call("GET", "api/rules")[1]["rules"]]
    assert call("POST", "api/catch-ups/preview", {"rule_ids": ids})[0] == 200


def test_two_tabs_do_not_save_over_each_other(call: Caller) -> None:
    rule_id = made(call)
    (begun,) = call("GET", "api/rules")[1]["rules"]
    saved = f'"{begun["version"]}"'
    first = {**begun["rule"], "stop": True}
    with call.raw("PUT", f"api/rules/{rule_id}", {"rule": first}, **{"If-Match": saved}) as answer:
        assert (answer.status, answer.headers["ETag"] != saved) == (200, True)
    mine = {"rule": {**begun["rule"], "name": "Mine"}}
    status, answered = call("PUT", f"api/rules/{rule_id}", mine, **{"If-Match": saved})
    assert (status, "no later rule" in answered["detail"]) == (412, True)
    assert call("GET", "api/rules")[1]["rules"][0]["rule"]["stop"] is True  # nothing was changed
    # Knowing of it, or saying nothing of a version, it is saved.
    known = answer.headers["ETag"]
    assert call("PUT", f"api/rules/{rule_id}", mine, **{"If-Match": known})[0] == 200
    assert call("PUT", f"api/rules/{rule_id}", mine, **{"If-Match": saved})[0] == 412
    assert call("PUT", f"api/rules/{rule_id}", mine)[0] == 200


def test_a_rule_switched_off_meanwhile_is_still_the_same_rule(call: Caller) -> None:
    rule_id = made(call)
    (begun,) = call("GET", "api/rules")[1]["rules"]
    call("POST", "api/rules/acts", {"ids": [rule_id], "do": "off"})
    saved = f'"{begun["version"]}"'
    changed = {"rule": {**begun["rule"], "stop": True}}
    assert call("PUT", f"api/rules/{rule_id}", changed, **{"If-Match": saved})[0] == 200
