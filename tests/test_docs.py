"""The documents say what the program does."""

import ast
import json
import re
from datetime import UTC, datetime
from importlib import resources
from pathlib import Path

import jsonschema
import pytest
from click import Context

from mnemic.cli.commands import main
from mnemic.core import (
    Circumstances,
    Given,
    MessageState,
    parse_message,
    read_rule,
    read_rule_document,
    take,
)
from mnemic.core.actions import ACTIONS
from mnemic.core.fields import CONDITION_KINDS
from mnemic.core.rules.schema import rule_schema
from mnemic.core.text.text_tests import TEXT_TESTS
from mnemic.settings import Settings

ROOT = Path(__file__).parents[1]


def test_every_rule_document_in_the_docs_is_valid() -> None:
    blocks = re.findall(r"```json\n(.*?)```", (ROOT / "docs/rules.md").read_text("utf-8"), re.S)
    assert blocks
    for block in blocks:
        assert read_rule_document(block).rules


def given() -> Given:
    """What docs/rules.md says of me and of now."""
    state = MessageState("me@x.example", labels=("Permit",))
    now = datetime(2026, 5, 4, 9, tzinfo=UTC)
    mine, known = frozenset(["me@x.example"]), frozenset(["ann@x.example"])
    return Given(state, Circumstances(now=now, me=mine, contacts=known))


def rows(columns: int) -> list[list[str]]:
    text = (ROOT / "docs/rules.md").read_text("utf-8")
    cells = [re.split(r" \| ", line[2:-2]) for line in text.splitlines() if line.startswith("| `{")]
    return [row for row in cells if len(row) == columns]


@pytest.mark.parametrize(("condition", "takes", "leaves"), rows(3))
def test_every_condition_in_the_docs_takes_and_leaves_what_they_say(
    condition: str, takes: str, leaves: str
) -> None:
    when = json.loads(condition.strip("`"))
    rule = read_rule({"name": "r", "when": when, "then": [{"do": "keep"}]})
    for mail, held in ((takes, True), (leaves, False)):
        if mail != "–":
            octets = mail.strip("`").replace(" ⏎ ", "\n").replace("⏎ ", "\n").encode()
            assert take(rule, parse_message(octets), given()).took is held, mail


def test_the_docs_have_every_field_test_and_action_and_every_action_is_valid() -> None:
    conditions = [json.loads(row[0].strip("`")) for row in rows(3)]
    assert {condition["field"] for condition in conditions} == set(CONDITION_KINDS)
    assert {condition["test"] for condition in conditions} >= {*TEXT_TESTS, "under", "exists", "on"}
    actions = [json.loads(row[0].strip("`")) for row in rows(2)]
    assert [written["do"] for written in actions] == list(
        dict.fromkeys(written["do"] for written in actions)
    )
    assert {written["do"] for written in actions} == set(ACTIONS)
    for action in actions:
        read_rule({"name": "r", "when": {"always": True}, "then": [action]})


def test_the_schema_is_current_and_agrees_with_the_reader() -> None:
    shipped = json.loads((ROOT / "schemas/rules-1.schema.json").read_text("utf-8"))
    assert shipped == rule_schema(), "run make api"
    validator = jsonschema.Draft202012Validator(shipped)
    validator.check_schema(shipped)
    (example,) = re.findall(r"```json\n(.*?)```", (ROOT / "docs/rules.md").read_text("utf-8"), re.S)
    assert validator.is_valid(json.loads(example))
    demo = resources.files("mnemic.demo").joinpath("rules.json").read_text("utf-8")
    assert validator.is_valid(json.loads(demo))
    assert not validator.is_valid(json.loads(example.replace('"contains"', '"holds"')))


def test_the_readme_names_every_setting_with_its_default_and_no_command_that_is_not_there() -> None:
    readme = (ROOT / "README.md").read_text("utf-8")
    settings = dict(re.findall(r"\| `MNEMIC_(\w+)` \|.*\| `?([\w.-]+)`? \|", readme))
    fields = {name.upper(): str(field.default) for name, field in Settings.model_fields.items()}
    assert settings == fields
    assert set(re.findall(r"mnemic ([\w-]+)", readme)) <= set(main.list_commands(Context(main)))
    targets = set(re.findall(r"^([a-z-]+):", (ROOT / "Makefile").read_text("utf-8"), re.M))
    assert set(re.findall(r"make (demo-reset|[a-z]+)\b", readme)) - {"it", "and"} <= targets


PAGES = [*ROOT.glob("*.md"), *(ROOT / "docs").rglob("*.md")]


@pytest.mark.parametrize("page", PAGES, ids=lambda page: str(page.relative_to(ROOT)))
def test_what_a_page_names_is_there(page: Path) -> None:
    text = page.read_text("utf-8")
    for name in re.findall(r"\]\(([^)#:]+)", text):
        assert (page.parent / name).exists(), name
    for name in re.findall(r"`((?:tests|core|jobs|store|post|api|web)/[\w./-]+\.\w+)`", text):
        assert any((ROOT / at / name).exists() for at in ("", "src/mnemic")), name


def _texts_of_the_product() -> str:
    """Every text that the program can say, with what is filled in left out."""
    modules = [ast.parse(path.read_text("utf-8")) for path in (ROOT / "src/mnemic").rglob("*.py")]
    constants = [
        node.value
        for module in modules
        for node in ast.walk(module)
        if isinstance(node, ast.Constant) and isinstance(node.value, str)
    ]
    pages = [
        path.read_text("utf-8")
        for path in (ROOT / "web/src").rglob("*")
        if path.suffix in {".ts", ".vue"}
    ]
    return re.sub(r"\s+", " ", "\n".join(constants + pages))


def test_the_errors_that_are_listed_are_those_that_are_told() -> None:
    said = _texts_of_the_product()
    rows = re.findall(
        r"^\| (.+?) \| .+ \|$", (ROOT / "docs" / "errors.md").read_text("utf-8"), re.M
    )
    pieces = [piece.strip(" .;:(),") for row in rows for piece in re.split(r"…| / |\. ", row)]
    long = [piece for piece in pieces if len(piece) > 24]
    assert len(long) > 60
    assert [piece for piece in long if piece not in said] == []
