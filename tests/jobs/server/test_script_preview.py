"""What a server could run of the line, asked of the stand-in."""

from pathlib import Path

from mnemic.core.sieve import Grade
from mnemic.jobs.server.script_preview import preview_script
from mnemic.post.managesieve import Listed, managing_scripts
from mnemic.store.server.connections import connection_of
from tests.jobs.server.both_sides import KEY
from tests.jobs.server.handing import handing, rule


def test_the_line_is_written_for_what_the_server_can_and_nothing_is_kept(tmp_path: Path) -> None:
    without = [part for name in ("imap4flags", "variables") for part in ("--without", name)]
    with handing(tmp_path, *without) as one:
        always = {"always": True}
        rule(one.both, "filed", always, {"do": "file", "folder": "A"})
        rule(one.both, "copied", always, {"do": "copy", "folder": "B"})
        rule(one.both, "labelled", always, {"do": "label", "label": "Red"})
        with managing_scripts(one.access) as server:
            server.put("own", b"keep;")
            server.activate("own")
        with one.both.database.reading() as session:
            connection = connection_of(session, one.both.account_id, KEY)
        assert connection is not None
        preview = preview_script(one.both.database, connection, one.place)
        grades = preview.script.grades
        assert [grade.grade for grade in grades] == [Grade.SAME, Grade.SAME, Grade.NO]
        assert "needs imap4flags" in grades[2].why[0]
        assert b'"variables"' not in preview.script.octets
        assert preview.refused is None
        assert preview.there == one.there() == Listed(("own",), "own")
        with managing_scripts(one.access) as server:
            assert server.get("own") == b"keep;"
