"""The documents say what the program does."""

import re
from pathlib import Path

from mnemic.cli import main
from mnemic.core import read_rule_document
from mnemic.settings import Settings

ROOT = Path(__file__).parents[1]


def test_every_rule_document_in_the_docs_is_valid() -> None:
    blocks = re.findall(r"```json\n(.*?)```", (ROOT / "docs/rules.md").read_text("utf-8"), re.S)
    assert blocks
    for block in blocks:
        assert read_rule_document(block).rules


def test_the_readme_names_every_setting_with_its_default_and_no_command_that_is_not_there() -> None:
    readme = (ROOT / "README.md").read_text("utf-8")
    rows = dict(re.findall(r"\| `MNEMIC_(\w+)` \|.*\| `?([\w.-]+)`? \|", readme))
    fields = {name.upper(): str(field.default) for name, field in Settings.model_fields.items()}
    assert rows == fields
    assert set(re.findall(r"mnemic (\w+)", readme)) <= set(main.commands)
    targets = set(re.findall(r"^([a-z-]+):", (ROOT / "Makefile").read_text("utf-8"), re.M))
    assert set(re.findall(r"make (demo-reset|[a-z]+)\b", readme)) - {"it", "and"} <= targets


def test_the_pictures_that_are_linked_are_there() -> None:
    for name in re.findall(r"\((docs/[^)]+)\)", (ROOT / "README.md").read_text("utf-8")):
        assert (ROOT / name).is_file()
