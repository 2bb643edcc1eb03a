"""What people and programs write: rule documents, searches, and files of mail and contacts."""

import io
import json
import tarfile
import tempfile
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import Any

from hypothesis import given
from hypothesis import strategies as st
from tests.core.strategies import rules

from fuzzing.mail import any_mail
from mnemic.core import MnemicError, RuleDocumentError, read_rule_document
from mnemic.core.analysis.order_check import check_line
from mnemic.core.rules.sentence import sentence_of
from mnemic.core.search import understand
from mnemic.post import read_files
from mnemic.post.vcard import read_cards

__all__ = ["files_are_read", "rule_documents_are_read", "searches_are_understood"]

_odd_text = st.text(max_size=30) | st.sampled_from(
    ["", "\0", "\ud800", "a\r\nb", "(((", "9" * 5_000]
)
_odd_value = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | _odd_text,
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from(["all", "any", "not", "field", "test", "values", "do"]) | _odd_text, inner, max_size=3),
    max_leaves=6,
)  # fmt: skip


def _bent(value: Any, path: list[int], odd: Any) -> Any:
    """A document with something odd in one of its places."""
    if not path or not isinstance(value, dict | list) or not value:
        return odd
    keys = list(value) if isinstance(value, dict) else list(range(len(value)))
    key = keys[path[0] % len(keys)]
    copy: Any = dict(value) if isinstance(value, dict) else list(value)
    copy[key] = _bent(value[key], path[1:], odd)
    return copy


def rule_documents_are_read(counted: Callable[[], None]) -> Callable[[], None]:
    """A document is taken whole, or refused with paths; what is taken can be said and checked."""

    @given(st.lists(rules, max_size=3), st.lists(st.integers(0, 9), max_size=7), st.none() | _odd_value)  # fmt: skip
    def check(line: list[dict[str, Any]], path: list[int], odd: Any) -> None:
        counted()
        document: Any = {"format": "mnemic-rules", "version": 1, "rules": line}
        text = json.dumps(document if odd is None else _bent(document, path, odd))
        try:
            read = read_rule_document(text)
        except RuleDocumentError as error:
            assert odd is not None
            assert error.problems
            assert all(problem.message for problem in error.problems)
            return
        assert read_rule_document(read.model_dump_json(by_alias=True)) == read
        for rule in read.rules:
            sentence_of(rule).encode()
        check_line(list(read.rules))

    return check


def searches_are_understood(counted: Callable[[], None]) -> Callable[[], None]:
    """Whatever is typed into Find means something or is told, and never raises."""
    pieces = st.sampled_from(["from:", "-", '"', "on:", "9999-12-31", "0001-01-01", "today", "folder:", "kind:", "state:unread", " ", "a", "ß", ":"])  # fmt: skip
    typed = st.lists(pieces | _odd_text, max_size=8).map("".join)

    @given(typed)
    def check(text: str) -> None:
        counted()
        search = understand(text, date(2026, 5, 4))
        assert all(problem.message for problem in search.problems)

    return check


def _archive(mail: list[bytes]) -> bytes:
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode="w") as archive:
        for number, octets in enumerate(mail):
            entry = tarfile.TarInfo(f"box/cur/{number}:2,S")
            entry.size = len(octets)
            archive.addfile(entry, io.BytesIO(octets))
    return buffer.getvalue()


_MBOX = b"From a@b.example Mon May  4 09:00:00 2026\n"


def files_are_read(counted: Callable[[], None]) -> Callable[[], None]:
    """An mbox, an archive or vCards of any octets are read, or refused in words."""
    bent = st.lists(st.tuples(st.integers(0, 20_000), st.integers(0, 255)), max_size=5)
    kinds = st.sampled_from(["mbox", "tar", "tar.gz", "tar.xz", "eml"])

    @given(kinds, st.lists(any_mail, max_size=3), bent)
    def check(kind: str, mail: list[bytes], changes: list[tuple[int, int]]) -> None:
        counted()
        octets = bytearray(_archive(mail) if "tar" in kind else b"\n".join(_MBOX + e for e in mail))
        for at, value in changes:
            if octets:
                octets[at % len(octets)] = value
        with tempfile.TemporaryDirectory() as name:
            path = Path(name) / f"file.{kind}"
            path.write_bytes(octets)
            try:
                for _ in read_files([path], only_mail=False):
                    pass
            except MnemicError as error:
                assert str(error)
        try:
            read_cards(bytes(octets[:2_000]))
        except MnemicError as error:
            assert str(error)

    return check
