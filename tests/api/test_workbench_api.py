"""What the workbench asks of the API: rehearsal, examples, versions, order check, documents, why."""

import http.client
import json
from collections.abc import Callable
from typing import Any

import pytest

from mnemic.api.withdrawn import NobodyWaitsError
from mnemic.core import read_rule
from mnemic.jobs import CatchUpPlan, preview_catch_up, rehearse
from mnemic.jobs.line.order_findings import check_order
from mnemic.store import Database
from mnemic.store.line.rules import add_rule
from tests.api.caller import RULE, Caller, made
from tests.jobs.test_runs import NOW

WHEN: dict[str, Any] = {"all": [{"field": "subject", "test": "words", "values": ["permit"]}]}


@pytest.fixture
def mail(deliver: Callable[..., None]) -> None:
    for number, subject in enumerate(("permit one", "permit two", "offer")):
        body = "berth 41" if number else "nothing"
        deliver(
            f"From: Ann <ann{number}@x.example>\r\nSubject: {subject}\r\n\r\n{body}\r\n".encode()
        )


def ids(call: Caller) -> dict[str, int]:
    listed = call("GET", "api/messages?find=x.example")[1]["messages"]
    return {message["subject"]: message["id"] for message in listed}


@pytest.mark.usefixtures("mail")
def test_the_rehearsal_tells_counts_by_place_examples_and_changes(call: Caller) -> None:
    known = ids(call)
    rule_id = made(call, when=WHEN)
    body = {"field": "body", "test": "contains", "values": ["berth"]}
    asked = {
        "name": "Permits",
        "rule_id": rule_id,
        "when": {"all": [*WHEN["all"], {"not": body}]},
        "then": RULE["then"],
        "pins": [
            {"message_id": known["permit one"], "wanted": True},
            {"message_id": known["permit two"], "wanted": True},
        ],
    }
    status, rehearsal = call("POST", "api/rehearsal", asked)
    assert (status, rehearsal["whole"]) == (200, True)
    assert (rehearsal["takes"], rehearsal["nearly"]) == (1, 1)
    counts = {"when": 1, "when.all[0]": 2, "when.all[1]": 1, "when.all[1].not": 2}
    assert rehearsal["counts"] == counts
    assert [example["wrong"] for example in rehearsal["examples"]] == [
        "",
        "is kept out: the text contains berth",
    ]
    assert rehearsal["changes"][0].startswith(
        "When: the subject has the word permit and the text does not"
    )
    assert rehearsal["nearly_messages"][0]["missing"] == "kept out: the text contains berth"
    path = f"api/rehearsal/messages/{known['permit one']}"
    _, opened = call("POST", path, {"when": {"any": [*WHEN["all"], body]}})
    assert opened["taken"]
    (piece,) = opened["evidence"]
    assert piece["value"][piece["start"] : piece["end"]] == "permit"
    assert call("POST", "api/rehearsal/messages/999", {"when": WHEN})[0] == 404
    assert call("POST", "api/rehearsal", {"when": {"all": []}})[0] == 422


@pytest.mark.usefixtures("mail")
def test_a_change_that_breaks_an_example_is_asked_about_first(call: Caller) -> None:
    known = ids(call)
    pins = [{"message_id": known["permit one"], "wanted": True}]
    status, done = call("POST", "api/rules", {"rule": {**RULE, "when": WHEN}, "pins": pins})
    assert status == 201
    (rule,) = done["rules"]
    assert rule["pins"] == pins
    path = f"api/rules/{rule['id']}"
    wrong = {**RULE, "when": {"all": [{**WHEN["all"][0], "values": ["offer"]}]}}
    status, problem = call("PUT", path, {"rule": wrong, "pins": pins})
    assert (status, problem["type"]) == (409, "tag:mnemic.example,2026:examples-break")
    assert problem["errors"][0]["message"] == "“permit one” is not taken"
    catch_all = {"name": "All", "when": {"always": True}, "then": [{"do": "archive"}]}
    other = call("POST", "api/rules", {"rule": catch_all})[1]["rules"][0]["id"]
    order = {"ids": [other, rule["id"]]}
    assert (
        "taken first by “All”" in call("PUT", "api/rules/order", order)[1]["errors"][0]["message"]
    )
    assert call("PUT", "api/rules/order", {**order, "anyway": True})[0] == 200
    checked = call("GET", "api/rules/check")[1]
    assert [example["wrong"] for example in checked["broken"]] == ["is taken first by “All”"]
    off = {"ids": [other], "do": "switch_off"}
    assert call("POST", "api/rules/acts", off)[0] == 200
    assert call("GET", "api/rules/check")[1]["broken"] == []
    assert call("POST", "api/rules/acts", {**off, "do": "switch_on"})[0] == 409
    assert call("PUT", path, {"rule": wrong, "pins": pins, "anyway": True})[0] == 200


@pytest.mark.usefixtures("mail")
def test_order_notes_are_mended_and_versions_are_listed(call: Caller) -> None:
    first = made(call, name="First", when=WHEN, then=[{"do": "archive"}])
    second = made(call, name="Second", when=WHEN, then=[{"do": "trash"}])
    (finding,) = call("GET", "api/rules/check")[1]["findings"]
    assert (finding["kind"], finding["by"], finding["messages"]) == ("never_acts", [first], 2)
    assert {message["subject"] for message in finding["newest"]} == {"permit one", "permit two"}
    mend = {"kind": "move_above", "rule_id": second, "other_id": first}
    assert call("POST", "api/rules/remedies", mend)[0] == 200
    assert call("POST", "api/rules/remedies", {**mend, "other_id": 99})[0] == 404
    assert [rule["id"] for rule in call("GET", "api/rules")[1]["rules"]] == [second, first]
    changed = {"name": "First", "when": WHEN, "then": [{"do": "flag"}]}
    assert call("PUT", f"api/rules/{first}", {"rule": changed})[0] == 200
    versions = call("GET", f"api/rules/{first}/versions")[1]["versions"]
    assert [version["changes"] for version in versions] == [
        ["Then, new: flag it", "Then, no longer: archive it"],
        [],
    ]
    assert call("GET", "api/rules/99/versions")[0] == 404
    copied = call("POST", "api/rules/acts", {"ids": [first], "do": "copy"})[1]
    assert (copied["saying"], copied["rules"][0]["rule"]["enabled"]) == (
        "Rule “First” copied",
        False,
    )


def test_documents_are_looked_at_taken_in_whole_and_undone(call: Caller) -> None:
    made(call)
    with call.raw("GET", "api/rules/document") as answer:
        document = json.loads(answer.read())
    assert document["format"] == "mnemic-rules"
    document["rules"].append({**document["rules"][0], "name": "More"})
    assert call("POST", "api/rules/document/preview", document)[1]["alike"] == ["Permits"]
    _, done = call("POST", "api/rules/document", document)
    assert done["saying"] == "Rule document taken in: 1 added, 0 changed"
    assert call("POST", "api/undo", {"run_id": done["run_id"]})[0] == 200
    assert len(call("GET", "api/rules")[1]["rules"]) == 1
    document["rules"][1]["runs"] = ["weekly"]
    refused = call("POST", "api/rules/document/preview", document)[1]["refused"]
    assert [problem["path"] for problem in refused] == ["rules[1].runs[0]"]
    assert call("POST", "api/rules/document", document)[0] == 422
    assert call("GET", "api/rules/schema")[1]["title"] == "Mnemic rules, version 1"


def test_scripts_are_looked_at_taken_in_whole_and_given_out(call: Caller) -> None:
    made(call)

    def sent(path: str, script: bytes) -> Any:
        kind = {"Content-Type": "application/sieve"}
        with call.octets("POST", f"api/rules/document{path}", script, **kind) as answer:
            return json.loads(answer.read())

    script = b'require "fileinto";\r\n# Lists\r\nif exists "list-id" { fileinto "Lists"; }\r\nkeep;'
    preview = sent("/preview", script)
    assert [rule["name"] for rule in preview["added"]] == [
        "Lists",
        "The header field list-id is there",
        "All mail",
    ]
    assert sent("", script)["saying"].endswith("3 added, 0 changed")
    wrong = b'if foo { keep; }\nreject "x";'
    refused = sent("/preview", wrong)["refused"]
    assert [problem["path"] for problem in refused] == ["line 1, column 4", "line 2, column 1"]
    given = call("GET", "api/rules/sieve")[1]
    assert [(grade["name"], grade["grade"]) for grade in given["grades"][:2]] == [
        ("Permits", "close"),
        ("Lists", "same"),
    ]
    with call.raw("GET", "api/rules/sieve/file") as answer:
        assert answer.headers["Content-Type"].startswith("application/sieve")
        assert answer.read().decode() == given["text"]


@pytest.mark.usefixtures("mail")
def test_why_and_what_messages_share(call: Caller) -> None:
    known, rule_id = ids(call), made(call, when=WHEN, stop=True)
    _, now = call("GET", f"api/messages/{known['permit one']}/what-if")
    assert (now["place"], now["stopped_by"]) == ("goes to Moorings / Permits", "Permits")
    (tried,) = now["tried"]
    assert (tried["rule_id"], tried["took"]) == (rule_id, True)
    bracket, condition = tried["tests"]
    assert (bracket["saying"], condition["saying"]) == (
        "all of these",
        "the subject has the word permit",
    )
    assert condition["evidence"]["value"] == "permit one"
    assert call("GET", "api/messages/99/what-if")[0] == 404
    which = {"ids": [known["permit one"], known["permit two"]]}
    _, shared = call("POST", "api/facts/common", {"which": which})
    first = shared["proposals"][0]
    assert (shared["messages"], first["text"], first["others"], first["picked"]) == (
        2,
        "permit",
        0,
        True,
    )


def test_the_order_check_tells_the_first_findings_and_those_of_the_open_rule(
    call: Caller,
) -> None:
    line = [made(call, name=f"r{n}", then=[{"do": "trash"}], stop=True) for n in range(102)]
    checked = call("GET", "api/rules/check")[1]
    assert [finding["rule_id"] for finding in checked["findings"]] == line[
        1:101
    ]  # as the first one says
    assert (checked["total"], checked["rule_ids"]) == (101, line[1:])
    checked = call("GET", f"api/rules/check?rule_id={line[101]}")[1]
    assert [finding["rule_id"] for finding in checked["findings"]] == line[1:]


def test_a_question_that_was_withdrawn_is_not_answered_to_the_end(database: Database) -> None:
    asked = []

    def withdrawn() -> None:
        asked.append(1)
        raise NobodyWaitsError("the question was withdrawn")

    rule = read_rule({"name": "r", "when": {"always": True}, "then": [{"do": "keep"}]})
    with database.writing() as session:
        from mnemic.core import parse_message
        from mnemic.jobs import take_in

        take_in(session, parse_message(b"Subject: x\n\n"), received=NOW)
    with database.reading() as session, pytest.raises(NobodyWaitsError):
        rehearse(session, rule, now=NOW, check=withdrawn)
    assert asked == [1]
    with database.writing() as session:
        rule_id = add_rule(session, rule).id
    plan = CatchUpPlan((rule_id,))
    with database.reading() as session, pytest.raises(NobodyWaitsError):
        preview_catch_up(session, plan, now=NOW, check=withdrawn)
    with database.reading() as session, pytest.raises(NobodyWaitsError):
        check_order(session, now=NOW, check=withdrawn)
    assert asked == [1, 1, 1]


def test_the_server_sees_that_a_browser_has_hung_up(call: Caller) -> None:
    host = call.address.split("/")[2]
    for _ in range(3):  # questions left unanswered do no harm to the next
        connection = http.client.HTTPConnection(host, timeout=60)
        body = json.dumps({"when": WHEN})
        connection.request("POST", "/api/rehearsal", body, {"Content-Type": "application/json"})
        connection.close()
    assert call("POST", "api/rehearsal", {"when": WHEN})[0] == 200
