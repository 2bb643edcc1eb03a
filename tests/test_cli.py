"""The command line, as a person types it."""

import json
import shutil
import socket
import sqlite3
import subprocess
import sys
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from click import Context
from click.testing import CliRunner, Result

from mnemic.cli.commands import main
from mnemic.core import read_rule
from mnemic.demo import DemoFolderError, load_demo
from mnemic.store import Database
from mnemic.store.line.rules import add_rule

MAIL = b"Message-ID: <1@x.example>\nFrom: a@x.example\nTo: b@x.example\nSubject: A permit\n\nhi\n"
RULES: dict[str, Any] = {
    "format": "mnemic-rules",
    "version": 1,
    "rules": [
        {
            "name": "Permits",
            "when": {"field": "subject", "test": "words", "values": ["permit"]},
            "then": [{"do": "file", "folder": "Moorings/Permits"}, {"do": "label", "label": "P"}],
            "stop": True,
        }
    ],
}


@pytest.fixture(autouse=True)
def _own_folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("MNEMIC_DATA", str(tmp_path / "data"))
    monkeypatch.chdir(tmp_path)


def run(*words: str | Path) -> Result:
    return CliRunner().invoke(main, [str(word) for word in words])


def test_sort_says_what_rules_would_do_and_writes_nothing(tmp_path: Path) -> None:
    Path("rules.json").write_text(json.dumps(RULES))
    Path("one.eml").write_bytes(MAIL)
    Path("two.mbox").write_bytes(b"From x Mon May  4 09:00:00 2026\nSubject: other\n\nhi\n")
    result = run("sort", "--rules", "rules.json", "one.eml", "two.mbox")
    assert result.exit_code == 0
    first, second = map(json.loads, result.stdout.splitlines())
    assert first == {
        "source": "one.eml",
        "message_id": "<1@x.example>",
        "rules": ["Permits"],
        "place": "folder",
        "folder": "Moorings/Permits",
        "copies": [],
        "labels": ["P"],
        "unlabels": [],
        "seen": None,
        "flagged": None,
        "colour": None,
        "priority": None,
        "forward": [],
        "reply": False,
        "notify": [],
        "stopped_by": "Permits",
    }
    assert (second["source"], second["message_id"], second["place"]) == (
        "two.mbox#0",
        None,
        "inbox",
    )
    assert sorted(path.name for path in tmp_path.iterdir()) == ["one.eml", "rules.json", "two.mbox"]


def test_sort_refuses_rules_it_cannot_read_with_the_path_and_status_2() -> None:
    Path("one.eml").write_bytes(MAIL)
    Path("rules.json").write_text(json.dumps({**RULES, "rules": [{"name": "x"}]}))
    result = run("sort", "--rules", "rules.json", "one.eml")
    assert (result.exit_code, result.stdout) == (2, "")
    assert "rules[0].when: is missing" in result.stderr
    assert run("sort", "--rules", "nowhere.json", "one.eml").exit_code == 2


def test_every_command_is_listed_with_what_it_does() -> None:
    listed, context = run("--help").output, Context(main)
    room = 80 - 6 - 9  # as click itself reckons, on the terminal that it tests with
    for name in main.list_commands(context):
        command = main.get_command(context, name)
        assert command is not None
        assert f"\n  {name:9}  {command.get_short_help_str(room)}\n" in listed


@pytest.mark.parametrize("words", [["sort", "--rules", "rules.json", "one.eml"], ["--help"]])
def test_what_needs_no_mailbox_loads_neither_database_nor_server(words: list[str]) -> None:
    Path("rules.json").write_text(json.dumps(RULES))
    Path("one.eml").write_bytes(MAIL)
    asked = (
        "import sys; from mnemic.cli import main;"
        f" main({words}, standalone_mode=False);"
        " sys.exit(bool({'sqlalchemy', 'alembic', 'flask'} & sys.modules.keys()))"
    )
    subprocess.run([sys.executable, "-c", asked], check=True)


def test_import_takes_mail_once_and_nothing_where_a_file_is_not_mail(tmp_path: Path) -> None:
    Path("one.eml").write_bytes(MAIL)
    Path("picture.eml").write_bytes(b"\x89PNG\r\n")
    refused = run("import", "one.eml", "picture.eml")
    assert refused.exit_code == 1
    assert "picture.eml: this is not mail" in refused.stderr
    assert not (tmp_path / "data").exists()
    assert "1 taken in, 0 were here already" in run("import", "one.eml").stdout
    assert "0 taken in, 1 were here already" in run("import", "one.eml").stdout


def test_the_demo_is_made_once_and_never_over_other_mail(tmp_path: Path) -> None:
    path = tmp_path / "data" / "mnemic.sqlite3"
    Path("one.eml").write_bytes(MAIL)
    run("import", "one.eml")
    with pytest.raises(DemoFolderError, match="nothing was changed"):
        load_demo(path, reset=True)
    demo = tmp_path / "demo" / "mnemic.sqlite3"
    assert load_demo(demo) == 1540
    assert load_demo(demo) == 0
    connection = sqlite3.connect(demo)
    (trails,) = connection.execute("SELECT count(DISTINCT rule_id) FROM trail").fetchone()
    (rules,) = connection.execute("SELECT count(*) FROM rule").fetchone()
    connection.close()
    assert (rules, trails) == (8, 7)  # one is switched off


@pytest.mark.parametrize("host", ["0.0.0.0", "192.168.1.4", "mail.example", "::"])
def test_no_address_but_loopback_is_listened_on(host: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("MNEMIC_HOST", host)
    result = run("serve")
    assert result.exit_code == 1
    assert "MNEMIC_HOST: Mnemic has no sign-in yet" in result.stderr


@pytest.mark.parametrize("setting", ["MNEMIC_PORT", "MNEMIC_SMTP_PORT"])
def test_a_port_in_use_says_so(setting: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("MNEMIC_PORT", "0")
    monkeypatch.setenv("MNEMIC_SMTP_PORT", "0")
    with socket.create_server(("127.0.0.1", 0)) as taken:
        monkeypatch.setenv(setting, str(taken.getsockname()[1]))
        result = run("serve")
        assert result.exit_code == 1
        assert "is in use" in result.stderr
        assert setting in result.stderr
        assert "is in use" in run("demo", "--reset").stderr


def sorted_lines(*words: str) -> list[dict[str, Any]]:
    result = run("sort", "--rules", "rules.json", *words)
    assert result.exit_code == 0, result.stderr
    return [json.loads(line) for line in result.stdout.splitlines()]


def write_rules(*rules: dict[str, Any]) -> None:
    document = {"format": "mnemic-rules", "version": 1, "rules": rules}
    Path("rules.json").write_text(json.dumps(document))


def one_rule(when: dict[str, Any], *then: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {"name": "r", "when": when, "then": list(then) or [{"do": "flag"}], **more}


def test_sort_knows_me_my_contacts_the_time_and_the_zone() -> None:
    Path("one.eml").write_bytes(
        b"Received: by x; Mon, 4 May 2026 23:30:00 +0000\nFrom: b@x.example\nTo: me+t@x.example\n\n"
    )
    Path("book.vcf").write_text(
        'BEGIN:VCARD\r\nVERSION:4.0\r\nFN:Bob\r\nitem1.EMAIL;TYPE="work,home":B@X.exam\r\n ple\r\nEND:VCARD\r\n'
    )
    write_rules(
        one_rule(
            {"field": "addressed", "test": "is", "values": ["only_me"]}, accounts=["ME@x.example"]
        ),
        one_rule({"field": "contact", "test": "is", "values": ["known"]}),
        one_rule({"field": "age", "test": "over", "values": ["1 week"]}),
        one_rule({"field": "received", "test": "on", "values": ["2026-05-05"]}),
    )
    words = ["--me", "me@x.example", "--contacts", "book.vcf", "--now", "2026-05-12T00:00:00+00:00"]
    (line,) = sorted_lines(*words, "--timezone", "Europe/Lisbon", "one.eml")
    assert line["rules"] == ["r"] * 4
    assert sorted_lines("one.eml")[0]["rules"] == ["r"]  # only the age, and by the present


def test_a_rule_for_a_time_counts_its_days_whole_in_the_owners_zone() -> None:
    moments = ("2 Aug 2026 22:59:59", "2 Aug 2026 23:00:00", "17 Aug 2026 22:59:59", "17 Aug 2026 23:00:00")  # fmt: skip
    for number, moment in enumerate(moments):
        octets = f"Received: by x; {moment} +0000\nDate: 4 May 2026 09:00 +0000\n\n".encode()
        Path(f"{number}.eml").write_bytes(octets)
    days = {"from": "2026-08-03", "until": "2026-08-17"}
    write_rules(one_rule({"always": True}, {"do": "file", "folder": "Away"}, active=days))
    paths = [f"{number}.eml" for number in range(4)]
    lines = sorted_lines("--timezone", "Europe/Lisbon", *paths)  # an hour before UTC in summer
    assert [line["place"] for line in lines] == ["inbox", "folder", "folder", "inbox"]
    first = sorted_lines("--timezone", "Europe/Lisbon", "--explain", "0.eml")[0]["trail"][0]
    assert (first["took"], first["when"]["held"], first["active"]["held"]) == (False, True, False)


def test_sort_answers_a_sender_once_and_knows_who_wrote_first() -> None:
    message = "From x Mon May  4 09:00:00 2026\nFrom: {}@x.example\n\nhi\n\n"
    Path("mail.mbox").write_text("".join(message.format(name) for name in ("ann", "bob", "Ann")))
    write_rules(
        one_rule(
            {"field": "contact", "test": "is", "values": ["first"]}, {"do": "label", "label": "new"}
        ),
        one_rule({"always": True}, {"do": "reply", "text": "away"}),
    )
    lines = sorted_lines("mail.mbox")
    assert [(line["labels"], line["reply"]) for line in lines] == [
        (["new"], True),
        (["new"], True),
        ([], False),
    ]


def test_sort_takes_flags_from_a_maildir_and_another_event_leaves_mail_where_it_is() -> None:
    for name in ("new", "cur"):
        (Path("box") / name).mkdir(parents=True)
    Path("box/cur/1:2,FS").write_bytes(MAIL)
    Path("box/new/2").write_bytes(MAIL)
    write_rules(one_rule({"field": "seen", "test": "is", "values": [True]}, runs=["daily"]))
    first, second = sorted_lines("--event", "daily", "box")
    assert (first["source"], first["flagged"], first["place"]) == ("box/cur/1:2,FS", True, None)
    assert second["rules"] == []


def test_explain_gives_every_condition_with_its_evidence() -> None:
    Path("one.eml").write_bytes(MAIL)
    permit = {"field": "subject", "test": "words", "values": ["permit"]}
    write_rules(
        one_rule({"all": [permit, {"not": {"always": True}}]}),
        one_rule(permit, {"do": "file", "folder": "A"}),
        one_rule({"always": True}, {"do": "file", "folder": "B"}),
    )
    (line,) = sorted_lines("--explain", "one.eml")
    first, second, third = line["trail"]
    assert (first["took"], first["when"]["group"], second["took"]) == (False, "all", True)
    assert second["when"]["evidence"] == {"field": "subject", "value": "A permit", "span": [2, 8]}
    assert second["when"]["condition"] == permit
    assert third["actions"][0]["overruled_by"] == "r"
    assert {key: value for key, value in line.items() if key != "trail"} == sorted_lines("one.eml")[
        0
    ]


def test_mail_is_exported_to_mbox_and_maildir_and_comes_back(tmp_path: Path) -> None:
    for number in range(3):
        Path(f"{number}.eml").write_bytes(MAIL.replace(b"A permit", b"Permit %d" % number))
    run("import", "0.eml", "1.eml", "2.eml")
    assert run("export", "all.mbox").output == "3 written to all.mbox\n"
    assert (
        run("export", "--find", 'subject:"permit 1"', "--format", "maildir", "one").exit_code == 0
    )
    assert [path.read_bytes() for path in Path("one/cur").iterdir()] == [Path("1.eml").read_bytes()]
    assert run("import", "all.mbox", "one").output == "0 taken in, 4 were here already\n"
    for words, said in [
        (["all.mbox"], "is there already"),
        (["--folder", "Nowhere", "x.mbox"], "no folder “Nowhere”"),
        (["--label", "None", "x.mbox"], "no label “None”"),
        (["--find", "kind:spam", "x.mbox"], "kind: is one of"),
        (["--folder", "Inbox", "--find", "x", "x.mbox"], "name one of"),
        (["no/such/folder/x.mbox"], "No such file"),
    ]:
        refused = run("export", *words)
        assert (refused.exit_code, said in refused.stderr) == (1, True), refused.stderr
    assert not Path("x.mbox").exists()


def test_a_catch_up_tells_beforehand_and_then_does_just_that() -> None:
    for number in range(3):
        Path(f"{number}.eml").write_bytes(MAIL.replace(b"A permit", b"Permit %d" % number))
    run("import", "--unsorted", "0.eml", "1.eml", "2.eml")
    with closing(Database(Path("data/mnemic.sqlite3"))) as database, database.writing() as session:
        for rule in RULES["rules"]:
            add_rule(session, read_rule(rule))
    preview = run("catch-up", "--dry-run")
    assert (preview.exit_code, "3 taken, 3 moved" in preview.output) == (0, True), preview.output
    assert run("catch-up", "--dry-run", "--folder", "Trash").output.startswith("0 taken")
    assert run("catch-up", "--dry-run", "--find", "nothingofthekind").output.startswith("0 taken")
    assert f"3  by {RULES['rules'][0]['name']}" in preview.output
    assert run("catch-up").output == preview.output
    moved_to = RULES["rules"][0]["then"][0]["folder"].partition("/")[0]
    deep = run("catch-up", "--dry-run", "--folder", moved_to).output
    alone = run("catch-up", "--dry-run", "--folder", moved_to, "--alone").output
    assert (deep.startswith("3 taken"), alone.startswith("0 taken")) == (True, True), (deep, alone)
    assert "3 in order already" in run("catch-up", "--rule", RULES["rules"][0]["name"]).output
    for words, said in [
        (["--rule", "None"], "no rule “None”"),
        (["--folder", "Nowhere"], "no folder “Nowhere”"),
        (["--find", ""], "the search can’t be used"),
        (["--find", "x", "--folder", "Inbox"], "name one of"),
    ]:
        refused = run("catch-up", *words)
        assert (refused.exit_code, said in refused.stderr) == (1, True), refused.stderr


def test_a_backup_restores_with_a_copy_and_a_check_tells_what_is_wrong() -> None:
    Path("0.eml").write_bytes(MAIL)
    run("import", "0.eml")
    assert run("check").output == "The mailbox is in order\n"
    assert run("backup", "copy.sqlite3").exit_code == 0
    assert run("backup", "copy.sqlite3").exit_code == 1  # what is there is left alone
    with closing(sqlite3.connect("data/mnemic.sqlite3")) as connection:
        connection.execute("DELETE FROM message_octets")
        connection.commit()
    broken = run("check")
    assert (broken.exit_code, "1 messages without their octets" in broken.output) == (1, True)
    shutil.rmtree("data")
    Path("data").mkdir()
    shutil.copy("copy.sqlite3", "data/mnemic.sqlite3")
    assert run("check").exit_code == 0


@pytest.mark.parametrize("step", [2, 10_000])  # in steps, or all at once
def test_an_index_that_is_not_true_is_told_and_made_anew(
    monkeypatch: pytest.MonkeyPatch, step: int
) -> None:
    monkeypatch.setattr("mnemic.store.mail.trigram_index._PENDING", 2)
    monkeypatch.setattr("mnemic.jobs.line.reindexing.MOST_PENDING", step)
    monkeypatch.setattr("mnemic.jobs.line.reindexing._STEP", step)
    for number in range(5):
        Path(f"{number}.eml").write_bytes(MAIL.replace(b"\n\n", f"\n\nberth {number} ".encode()))
    when = {"field": "body", "test": "contains", "values": ["berth 2"]}
    rule = {"name": "Berths", "when": when, "then": [{"do": "flag"}]}
    run("import", *(f"{number}.eml" for number in range(5)))
    database = Database(Path("data/mnemic.sqlite3"))
    with database.writing() as session:
        add_rule(session, read_rule(rule))
    database.close()
    assert run("check").output == "The mailbox is in order\n"
    damages = [
        "UPDATE message_folded SET body = 'gone' WHERE message_id = 3",
        "INSERT INTO message_trigram (message_trigram) VALUES ('delete-all')",
    ]
    for damage in damages:
        with closing(sqlite3.connect("data/mnemic.sqlite3")) as connection:
            connection.execute(damage)
            connection.commit()
        checked = run("check")
        said = "message 3 is not found as it is, by a condition of “Berths”; run “mnemic reindex”"
        assert (checked.exit_code, checked.output.strip()) == (1, said)
        assert run("reindex").output == "Indexed 5 messages anew\n"
        assert run("check").output == "The mailbox is in order\n"


def test_contacts_are_taken_in_from_vcard_and_printed_as_vcard() -> None:
    card = "BEGIN:VCARD\r\nVERSION:4.0\r\nFN:Ann\r\nEMAIL:ann@x.example\r\nEND:VCARD\r\n"
    Path("ann.vcf").write_text(card, "utf-8", newline="")
    assert run("contacts", "import", "ann.vcf").output == "1 added, 0 were here already\n"
    assert run("contacts", "import", "ann.vcf").output == "0 added, 1 were here already\n"
    assert run("contacts", "export").stdout_bytes.decode() == card
    assert run("contacts", "import", "missing.vcf").exit_code == 1
    Path("no.vcf").write_text("nothing", "utf-8")
    assert "no vCard" in run("contacts", "import", "no.vcf").stderr


def test_rules_go_out_as_a_script_and_come_back(tmp_path: Path) -> None:
    Path("rules.json").write_text(json.dumps(RULES))
    written = run(
        "sieve", "export", "--rules", "rules.json", "--me", "b@x.example", "-o", "a.sieve"
    )
    assert (written.exit_code, written.stdout) == (0, "")
    assert written.stderr.startswith("Permits: close: ")
    assert b"\r\n# Permits\r\n" in Path("a.sieve").read_bytes()
    back = run("sieve", "import", "a.sieve")
    assert (back.exit_code, back.stderr) == (0, "")
    assert json.loads(back.stdout) == RULES
    Path("wrong.sieve").write_text("if foo { keep; }\nbar;")
    wrong = run("sieve", "import", "wrong.sieve")
    assert (wrong.exit_code, wrong.stdout) == (2, "")
    assert wrong.stderr.splitlines() == [
        "wrong.sieve: line 1, column 4: “foo” is no test that is known",
        "wrong.sieve: line 2, column 1: “bar” is no command that is known",
    ]


def test_a_script_is_for_a_server_that_can_so_much(tmp_path: Path) -> None:
    Path("rules.json").write_text(json.dumps(RULES))
    least = run("sieve", "export", "--rules", "rules.json", "--for", "fileinto")
    assert least.exit_code == 0
    assert 'require "fileinto";' in least.stdout
    assert "needs imap4flags, which the server is not said to have" in least.stderr
    none = run("sieve", "export", "--rules", "rules.json", "--for", "copy")
    assert none.stderr.startswith("Permits: no: ")
    assert "fileinto" not in [line for line in none.stdout.splitlines() if not line.startswith("#")]
    missing = run("sieve", "export", "--rules", "missing.json")
    assert (missing.exit_code, missing.stdout) == (2, "")
    line = run("sieve", "export")  # the mailbox's own, which is empty
    assert (line.exit_code, line.stderr) == (0, "")
