"""The drop folder: mail is taken once it is whole, and nothing that was dropped is lost."""

from pathlib import Path

import pytest

from mnemic.post import NotMailError
from mnemic.post.drop_folder import DropFolder


def test_what_is_whole_is_taken_and_what_is_not_mail_is_put_aside_with_the_reason(
    tmp_path: Path,
) -> None:
    taken: list[str] = []

    def take(path: Path) -> str:
        if path.suffix == ".png":
            raise NotMailError("this is not mail")
        taken.append(path.name)
        return "1 taken in, 0 were here already"

    drop = DropFolder(tmp_path, take)
    drop.make()
    (tmp_path / "one.eml").write_bytes(b"Subject: one\n\n")
    drop.look()
    assert taken == []  # it may still be growing
    (tmp_path / "one.eml").write_bytes(b"Subject: one\n\nmore\n")
    (tmp_path / "p.png").write_bytes(b"\x89PNG")
    (tmp_path / "Box" / "cur").mkdir(parents=True)
    (tmp_path / "Box" / "cur" / "1:2,S").write_bytes(b"Subject: two\n\n")
    drop.look()
    assert taken == []
    drop.look()
    assert taken == ["Box", "one.eml"]
    assert (tmp_path / "taken" / "one.eml").read_bytes() == b"Subject: one\n\nmore\n"
    assert (tmp_path / "taken" / "one.eml.taken.txt").read_text().startswith("1 taken in")
    assert (tmp_path / "refused" / "p.png.why.txt").read_text() == "this is not mail\n"
    assert {path.name for path in tmp_path.iterdir()} == {"taken", "refused"}
    (tmp_path / "one.eml").write_bytes(b"Subject: other\n\n")  # the same name again
    drop.look()
    drop.look()
    assert len(list((tmp_path / "taken").glob("one*.eml"))) == 2


def test_trouble_that_passes_leaves_the_file_where_it_is(
    tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    def fail(path: Path) -> str:
        raise OSError("disk full")

    (tmp_path / "one.eml").write_bytes(b"Subject: one\n\n")
    drop = DropFolder(tmp_path, fail)
    drop.look()
    drop.look()
    assert (tmp_path / "one.eml").exists()
    assert "tried again" in caplog.text
