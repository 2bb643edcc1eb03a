"""Connected accounts through the API: what is asked and answered, and what is never told."""

import json
import logging
from pathlib import Path
from typing import Any

import pytest

from tests.api.caller import Caller, made
from tests.stand_in.standing_in import PASSWORD, USER, standing_in


class Hearing:
    """A caller that hears whether a password is ever told."""

    def __init__(self, call: Caller) -> None:
        self.call = call

    def __call__(self, method: str, path: str, body: Any = None) -> tuple[int, Any]:
        status, answer = self.call(method, path, body)
        assert json.dumps(PASSWORD)[1:-1] not in json.dumps(answer), path
        return status, answer


def test_an_account_is_connected_hands_its_rules_over_and_its_password_is_never_told(
    call: Caller,
    tmp_path: Path,
    caplog: pytest.LogCaptureFixture,
) -> None:
    caplog.set_level(logging.DEBUG)
    hear = Hearing(call)
    made(call)
    with standing_in(tmp_path / "stand-in") as there:
        where = {"host": "127.0.0.1", "security": "none"}
        account = {**where, "name": "Office", "address": USER, "user": USER, "password": PASSWORD}
        status, refused = hear("POST", "api/connections", {**account, "port": 1})
        assert (status, refused["errors"][0]["path"]) == (422, "host")
        wrong = {**account, "port": there.ports["imap"], "password": f"{PASSWORD}!"}
        status, refused = hear("POST", "api/connections", wrong)
        assert (status, refused["errors"][0]["path"]) == (422, "password")
        assert hear("POST", "api/connections", {**wrong, "password": PASSWORD})[0] == 201
        _, connections = hear("GET", "api/connections")
        (key,) = [connection["id"] for connection in connections["connections"]]
        path, scripts = f"api/connections/{key}", {**where, "port": there.ports["sieve"]}
        assert hear("GET", f"{path}/script")[1]["runs"] == "here"
        assert hear("PUT", f"{path}/script", scripts)[0] == 409  # it is only watched
        assert hear("PUT", f"{path}/acting", {"acting": True})[0] == 204
        assert hear("POST", f"{path}/script/preview", {**where, "port": 1})[0] == 422
        _, could = hear("POST", f"{path}/script/preview", scripts)
        assert (could["active"], [grade["written"] for grade in could["grades"]]) == (None, [True])
        status, runs = hear("PUT", f"{path}/script", scripts)
        assert (status, runs["runs"], runs["server"]) == (200, "server", scripts)
        assert hear("PUT", f"{path}/acting", {"acting": False})[0] == 409  # rules run there
        assert hear("PUT", f"{path}/emptying", {"on": True})[0] == 204
        assert hear("GET", "api/mailbox")[1]["connected"][0]["empties_trash"] is True
        assert hear("POST", f"{path}/pass")[1]["in_step"] is True
        assert hear("GET", "api/connections")[1]["connections"][0]["rules_there"] is True
        assert hear("DELETE", f"{path}/script")[1]["runs"] == "here"
        assert hear("DELETE", f"{path}/script")[0] == 409
        assert hear("POST", f"{path}/try")[0] == 200
        (tmp_path / "data" / "secret.key").write_text("another key than the password's")
        for rest in ("try", "script/preview"):
            status, connections = hear("POST", f"{path}/{rest}", scripts if rest != "try" else None)
            assert status == 409
            assert "bring back the key" in connections["detail"]
        for method, rest, body in (
            ("GET", "script", None),
            ("PUT", "script", scripts),
            ("DELETE", "script", None),
            ("PUT", "emptying", {"on": True}),
            ("POST", "script/preview", scripts),
        ):
            assert hear(method, f"api/connections/999/{rest}", body)[0] == 404
        assert hear("DELETE", path)[0] == 204
    assert PASSWORD not in caplog.text
