"""Connected accounts from the command line, to the letter of docs/server.md."""

import json
import os
import stat
import subprocess
import sys
import threading
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest

from mnemic.jobs.server.pass_report import PassReport
from mnemic.jobs.server.passes import Passes
from mnemic.jobs.server.running_server import address_of_server
from tests.conftest import running
from tests.stand_in.standing_in import PASSWORD, USER, StandIn, standing_in

LETTER = b"From: a@x.example\r\nSubject: %s\r\nMessage-ID: <%d@x.example>\r\n\r\nbody\r\n"

RULES = {
    "format": "mnemic-rules",
    "version": 1,
    "rules": [
        {
            "name": "Permits",
            "when": {"field": "subject", "test": "words", "values": ["permit"]},
            "then": [{"do": "file", "folder": "Moorings/Permits"}, {"do": "label", "label": "Due"}],
        }
    ],
}


@dataclass
class Shell:
    folder: Path
    stand_in: StandIn

    def run(self, *command: str, status: int = 0, secret_key: str | None = None) -> str:
        """What a command printed; on standard error where it failed."""
        more = {"MNEMIC_SECRET_KEY": secret_key} if secret_key else {}
        done = subprocess.run(
            [sys.executable, "-m", "mnemic", *command],
            capture_output=True,
            text=True,
            timeout=120,
            check=False,
            env={**os.environ, "MNEMIC_DATA": str(self.folder / "data"), **more},
        )
        assert done.returncode == status, done.stderr
        assert PASSWORD not in done.stdout + done.stderr
        return done.stdout if status == 0 else done.stderr or done.stdout

    def objects(self, *command: str, status: int = 0) -> list[dict[str, Any]]:
        return [json.loads(line) for line in self.run(*command, status=status).splitlines()]

    def adding(self, name: str = "Office", port: int | None = None) -> list[str]:
        where = f"127.0.0.1:{port or self.stand_in.ports['imap']}"
        return [
            *("account", "add", "--name", name, "--address", f"{name.lower()}@trust.example"),
            *("--alias", "desk@trust.example", "--imap", where, "--security", "none"),
            *("--user", USER, "--password-file", str(self.folder / "password.txt")),
        ]


@pytest.fixture
def shell(tmp_path: Path) -> Iterator[Shell]:
    (tmp_path / "password.txt").write_text(f"{PASSWORD}\n", "utf-8")
    (tmp_path / "rules.json").write_text(json.dumps(RULES), "utf-8")
    with standing_in(tmp_path / "stand-in") as stand_in:
        yield Shell(tmp_path, stand_in)


def test_connect_watch_let_act_and_undo(shell: Shell) -> None:
    device = shell.stand_in.device()
    device.append("INBOX", "", "", LETTER % (b"permit of before", 1))
    assert "Found" in shell.run(*shell.adding())
    shell.run("rules", "import", str(shell.folder / "rules.json"))
    exported = json.loads(shell.run("rules", "export"))
    assert [rule["name"] for rule in exported["rules"]] == ["Permits"]
    device.append("INBOX", "", "", LETTER % (b"permit", 2))
    (synced,) = shell.objects("sync")
    assert synced == {
        "account": "Office",
        "state": "in step",
        "fetched": 2,
        "arrived": 1,
        "sorted": 0,
        "changed_there": 0,
        "changed_here": 0,
        "gone": 0,
    }
    assert "only watched" in shell.run("folder", "add", "--account", "Office", "New", status=1)
    assert "Rules act" in shell.run("account", "act", "Office", "--yes")
    device.append("INBOX", "", "", LETTER % (b"permit", 3))
    (synced,) = shell.objects("sync", "--account", "Office")
    assert (synced["arrived"], synced["sorted"], synced["changed_there"]) == (1, 1, 0)
    (newest, *others) = shell.objects("list", "--account", "Office", "--json")
    assert newest == {
        "id": newest["id"],
        "account": "Office",
        "folder": "Moorings/Permits",
        "message_id": "<3@x.example>",
        "subject": "permit",
        "seen": False,
        "flagged": False,
        "labels": ["Due"],
        "colour": None,
        "priority": None,
    }
    assert [message["folder"] for message in others] == ["Inbox", "Inbox"]
    listed = shell.objects("list", "--folder", "Moorings/Permits", "--find", "permit", "--json")
    assert listed == [newest]
    run = shell.objects("history", "--json", "--limit", "1")[0]
    assert (run["actor"], run["messages"], run["undone"]) == ("rules", 1, False)
    shell.run("undo", str(run["run"]))
    assert "already" in shell.run("undo", str(run["run"]), status=1)
    assert "no run 999" in shell.run("undo", "999", status=1)
    (synced,) = shell.objects("sync")
    assert synced["changed_there"] == 1
    device.select("INBOX")
    assert len(device.uid("SEARCH", "ALL")[1][0].split()) == 3
    (account,) = shell.objects("account", "list", "--json")
    assert account == {
        "name": "Office",
        "address": "office@trust.example",
        "aliases": ["desk@trust.example"],
        "imap": f"127.0.0.1:{shell.stand_in.ports['imap']}",
        "security": "none",
        "user": USER,
        "acting": True,
        "state": "in step",
        "messages": 3,
        "alert": None,
    }
    shell.run("account", "remove", "Office")
    assert shell.objects("list", "--json") == shell.objects("sync") == []
    device.select("INBOX")
    assert len(device.uid("SEARCH", "ALL")[1][0].split()) == 3
    device.logout()


def test_a_running_server_is_asked_for_the_pass(
    shell: Shell, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked: list[str] = []
    own = Passes.over

    def over(passes: Passes, account_id: int) -> tuple[str, PassReport]:
        asked.append(threading.current_thread().name)
        return own(passes, account_id)

    monkeypatch.setattr(Passes, "over", over)
    shell.run(*shell.adding())
    locks = shell.folder / "data" / "locks"
    with running(shell.folder / "data") as server:
        assert address_of_server(locks) == server.address
        (synced,) = shell.objects("sync")
        assert (synced["account"], synced["state"]) == ("Office", "in step")
        assert [name for name in asked if name.startswith("waitress")]
    assert address_of_server(locks) is None
    assert shell.objects("sync")[0]["state"] == "in step"


def test_forwards_leave_by_submission(shell: Shell) -> None:
    where = f"127.0.0.1:{shell.stand_in.ports['submission']}"
    sends = ("--submission", where, "--submission-security", "none")
    assert "can leave by" in shell.run(*shell.adding(), *sends, "--acting")
    rule = {**RULES["rules"][0], "then": [{"do": "forward", "to": ["ann@y.example"]}]}  # type: ignore[index]
    (shell.folder / "rules.json").write_text(json.dumps({**RULES, "rules": [rule]}), "utf-8")
    shell.run("rules", "import", str(shell.folder / "rules.json"))
    device = shell.stand_in.device()
    device.append("INBOX", "", "", LETTER % (b"permit", 1))
    assert json.loads(shell.run("sync"))["state"] == "in step"
    (sent,) = (shell.folder / "stand-in" / "sent").iterdir()
    assert b"\r\nDelivered-To: ann@y.example\r\n" in sent.read_bytes()
    device.logout()


def test_what_does_not_work_is_not_kept_unless_asked(shell: Shell) -> None:
    said = shell.run(*shell.adding(port=1), status=1)
    assert said.count("\n") == 1
    assert "nothing answers" in said
    assert shell.objects("account", "list", "--json") == []
    shell.run(*shell.adding(port=1), "--untried")
    report = json.loads(shell.run("sync", status=1))
    assert "nothing answers" in report["state"]
    assert "already" in shell.run(*shell.adding(), status=1)
    assert "Usage" in shell.run(*shell.adding("Other"), "--password-command", "x", status=2)
    assert "Usage" in shell.run("account", "add", "--name", "x", status=2)
    assert "no connected account" in shell.run("sync", "--account", "Nobody", status=1)


def test_passwords_are_kept_with_a_key_of_their_own(shell: Shell) -> None:
    shell.run(*shell.adding())
    key = shell.folder / "data" / "secret.key"
    assert stat.S_IMODE(key.stat().st_mode) == 0o600
    shell.objects("sync")
    for file in (shell.folder / "data").rglob("*"):
        assert not file.is_file() or PASSWORD.encode() not in file.read_bytes(), file
    # Another key opens nothing, and loses nothing.
    report = json.loads(shell.run("sync", status=1, secret_key="k" * 32))
    assert "this key" in report["state"]
    assert "32 or more" in shell.run("sync", status=1, secret_key="k" * 31)
    (report,) = shell.objects("sync")
    assert report["state"] == "in step"
