"""Rules name folders and labels: they follow where those are renamed."""

import json
from typing import Any, TypeAlias

from sqlmodel import Session, select

from mnemic.core.canonical import canonical_path
from mnemic.store.engine.tables import RuleRow
from mnemic.store.journal.rows import record_row, row_values

__all__ = ["rename_in_rules"]

#: Old names in the form in which they are compared, with the new ones.
Names: TypeAlias = dict[tuple[str, ...], str]


def _renamed(value: Any, names: Names, keys: tuple[str, ...], field: str) -> Any:
    """A rule's JSON in which folders (or labels) of old names have their new ones."""
    if isinstance(value, list):
        return [_renamed(item, names, keys, field) for item in value]
    if not isinstance(value, dict):
        return value
    changed = {key: _renamed(inner, names, keys, field) for key, inner in value.items()}
    for key in keys:
        name = changed.get(key)
        if "do" in changed and isinstance(name, str):
            changed[key] = names.get(canonical_path(name), name)
    if changed.get("field") == field:
        changed["values"] = [names.get(canonical_path(name), name) for name in changed["values"]]
    return changed


def rename_in_rules(
    session: Session, run_id: int, names: Names, keys: tuple[str, ...], field: str
) -> None:
    """Rules follow what they name: a rename must not make them file into a folder that is gone."""
    for row in session.exec(select(RuleRow)):
        document = _renamed(json.loads(row.document), names, keys, field)
        if document == json.loads(row.document):
            continue
        before = row_values(session, "rule", row.id or 0)
        row.document = json.dumps(document, ensure_ascii=False)
        record_row(session, run_id, "rule", row.id or 0, before)
