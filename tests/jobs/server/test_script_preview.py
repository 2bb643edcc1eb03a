"""What a server could run of the line, asked of the stand-in."""

from collections.abc import Iterator
from pathlib import Path

import pytest

from mnemic.core import read_rule
from mnemic.core.sieve import Grade, Setting
from mnemic.jobs.server.script_preview import preview_script
from mnemic.post.access import Access, Secret
from mnemic.post.managesieve import Listed, managing_scripts
from tests.stand_in.standing_in import PASSWORD, USER, standing_in

RULES = [
    read_rule({"name": name, "when": {"always": True}, "then": then})
    for name, then in {
        "filed": [{"do": "file", "folder": "A"}],
        "copied": [{"do": "copy", "folder": "B"}],
        "labelled": [{"do": "label", "label": "Red"}],
    }.items()
]


@pytest.fixture
def access(tmp_path: Path) -> Iterator[Access]:
    with standing_in(tmp_path, "--without", "imap4flags", "--without", "variables") as there:
        yield Access("127.0.0.1", there.ports["sieve"], "none", USER, Secret("password", PASSWORD))


def test_the_line_is_written_for_what_the_server_can_and_nothing_is_kept(access: Access) -> None:
    with managing_scripts(access) as server:
        server.put("own", b"keep;")
        server.activate("own")
    found = preview_script(RULES, Setting(me=(USER,), account=USER), access)
    assert [grade.grade for grade in found.script.grades] == [Grade.SAME, Grade.SAME, Grade.NO]
    assert "needs imap4flags" in found.script.grades[2].why[0]
    assert "variables" not in found.script.requires
    assert found.refused is None
    assert found.there == Listed(("own",), "own")
    with managing_scripts(access) as server:
        assert server.scripts() == Listed(("own",), "own")
        assert server.get("own") == b"keep;"
