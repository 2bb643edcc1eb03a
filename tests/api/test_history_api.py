"""Catch-up and history over the API: seen before, done in the background, undone whole or in part."""

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any
from urllib.parse import quote

import pytest

from mnemic.jobs.catch_up import running as catch_up
from mnemic.jobs.catch_up.worker import Worker
from mnemic.server import Server
from tests.api.caller import Caller, caught_up, made


@pytest.fixture
def ids(call: Caller, deliver: Callable[..., None]) -> dict[str, int]:
    for subject in ("permit one", "permit two", "offer"):
        deliver(f"From: ann@x.example\r\nSubject: {subject}\r\n\r\nx\r\n".encode())
    listed = call("GET", "api/messages?find=x.example")[1]["messages"]
    return {message["subject"]: message["id"] for message in listed}


def places(call: Caller) -> dict[str, str]:
    listed = call("GET", "api/messages?find=x.example")[1]["messages"]
    return {message["subject"]: message["folder"] for message in listed}


def test_a_catch_up_is_told_done_and_undone_whole_or_in_part(
    call: Caller,
    ids: dict[str, int],
) -> None:
    filed = {"all": [{"field": "subject", "test": "words", "values": ["permit"]}]}
    marked: dict[str, Any] = {"all": [{"always": True}]}
    first = made(call, name="File", when=filed, then=[{"do": "file", "folder": "A"}])
    second = made(call, name="Mark", when=marked, then=[{"do": "flag"}])
    asked = {"rule_ids": [first, second]}
    _, preview = call("POST", "api/catch-ups/preview", asked)
    assert (preview["examined"], preview["report"]["places"], preview["report"]["marked"]) == (
        3,
        {"A": 2},
        3,
    )
    assert set(places(call).values()) == {"Inbox"}
    done = caught_up(call, **asked)
    assert done["report"] == preview["report"]
    assert places(call) == {"permit one": "A", "permit two": "A", "offer": "Inbox"}

    newest = call("GET", "api/history?limit=1")[1]
    (run,) = newest["runs"]
    assert (run["saying"], run["messages"], run["id"]) == (
        "Catch-up with 2 rules",
        3,
        done["run_id"],
    )
    assert newest["more"]
    _, opened = call("GET", f"api/history/{run['id']}")
    assert {
        message["message"]["subject"]: message["changes"] for message in opened["messages"]
    } == {
        "permit one": ["Moved from Inbox to A", "Flagged"],
        "permit two": ["Moved from Inbox to A", "Flagged"],
        "offer": ["Flagged"],
    }
    assert [(rule["name"], rule["messages"]) for rule in opened["rules"]] == [
        ("Mark", 3),
        ("File", 2),
    ]

    newest, *older = [message["message"]["id"] for message in opened["messages"]]
    _, rest = call("GET", f"api/history/{run['id']}?before={newest}")
    assert [message["message"]["id"] for message in rest["messages"]] == older
    assert rest["rules"] == opened["rules"]

    one = {"run_id": run["id"], "message_id": ids["permit one"]}
    assert call("POST", "api/undo", one)[1]["restored"] == 2
    assert places(call)["permit one"] == "Inbox"
    part = call("POST", "api/undo", {"run_id": run["id"], "rule_id": first})[1]
    assert (part["restored"], part["left_alone"]) == (1, 1)  # one is back already
    assert set(places(call).values()) == {"Inbox"}
    rest = call("POST", "api/undo", {"run_id": run["id"]})[1]
    assert (rest["restored"], rest["left_alone"]) == (2, 3)
    assert call("POST", "api/undo", {"run_id": run["id"]})[0] == 409
    assert call("GET", "api/history?limit=1")[1]["runs"][0]["undoes"] == run["id"]


def test_only_what_was_asked_about_and_nothing_after_a_stop(
    call: Caller,
    ids: dict[str, int],
) -> None:
    rule_id = made(call, when={"always": True}, then=[{"do": "archive"}])
    which = {"ids": [ids["offer"]]}
    done = caught_up(call, rule_ids=[rule_id], which=which)
    assert (done["examined"], done["report"]["moved"]) == (1, 1)
    later = {"rule_ids": [rule_id], "since": "2999-01-01T00:00:00Z"}
    assert call("POST", "api/catch-ups/preview", later)[1]["examined"] == 0
    assert call("POST", f"api/catch-ups/{done['id']}/stop")[1]["state"] == "done"
    assert call("GET", "api/catch-ups/99")[0] == 404
    assert call("POST", "api/catch-ups/preview", {"rule_ids": [99]})[0] == 404
    assert call("POST", "api/catch-ups", {"rule_ids": []})[0] == 422


def test_a_catch_up_that_is_undone_while_it_goes_on_is_stopped(
    call: Caller,
    server: Server,
    ids: dict[str, int],
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(catch_up, "_BATCH", 1)
    monkeypatch.setattr(Worker, "enqueue", lambda *_: None)  # it is stepped here, by hand
    everything = {"all": [{"always": True}]}
    rule_id = made(call, name="File", when=everything, then=[{"do": "file", "folder": "A"}])
    _, job = call("POST", "api/catch-ups", {"rule_ids": [rule_id]})
    for _ in range(2):
        with server.database.writing() as session:
            assert catch_up.step_catch_up(session, job["id"])
    assert list(places(call).values()).count("A") == 2
    _, part = call("POST", "api/undo", {"run_id": job["run_id"], "message_id": ids["offer"]})
    assert (part["restored"], places(call)["offer"]) == (1, "Inbox")
    assert call("GET", f"api/catch-ups/{job['id']}")[1]["state"] == "running"
    call("POST", "api/undo", {"run_id": job["run_id"]})
    assert call("GET", f"api/catch-ups/{job['id']}")[1]["state"] == "stopped"
    with server.database.writing() as session:
        assert not catch_up.step_catch_up(session, job["id"])
    assert set(places(call).values()) == {"Inbox"}


def test_news_counts_whole_days_as_find_does(
    call: Caller,
    ids: dict[str, int],
) -> None:
    when = {"all": [{"field": "subject", "test": "words", "values": ["permit"]}]}
    rule_id = made(call, when=when, then=[{"do": "file", "folder": "A"}])
    caught_up(call, rule_ids=[rule_id])
    which = {"ids": [ids["permit two"]]}
    call("POST", "api/changes", {"which": which, "do": {"do": "erase"}})
    now = datetime.now(UTC)
    news = call("GET", f"api/news?since={now:%Y-%m-%dT%H:%M:%SZ}")[1]
    assert news == {"day": f"{now:%Y-%m-%d}", "came": 2, "taken": 1, "waiting": 1}
    for terms, count in (("", news["came"]), ("folder:Inbox ", news["waiting"])):
        find = quote(f"{terms}-before:{news['day']}")
        assert call("GET", f"api/messages?find={find}")[1]["total"] == count

    tomorrow = f"{now + timedelta(days=1):%Y-%m-%dT00:00:00Z}"
    assert call("GET", f"api/news?since={tomorrow}")[1]["day"] == f"{now:%Y-%m-%d}"
    long_ago = call("GET", "api/news?since=2001-01-01T00:00:00Z")[1]["day"]
    assert long_ago == f"{now - timedelta(days=30):%Y-%m-%d}"
    assert call("GET", "api/news?since=yesterday")[0] == 422


def test_a_name_that_is_in_use_again_is_said_where_it_is_to_come_back(
    call: Caller,
) -> None:
    _, folder = call("POST", "api/folders", {"path": "Quays"})
    where = f"api/folders/{folder['id']}"
    _, moved = call("PUT", where, {"name": "Berths", "parent_id": None})
    call("POST", "api/folders", {"path": "Quays"})
    status, refused = call("POST", "api/undo", {"run_id": moved["run_id"]})
    said = "there is another folder “Quays” now; rename it, then undo this"
    assert (status, refused["title"], refused["detail"]) == (409, "Name taken", said)
