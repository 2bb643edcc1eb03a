"""Write what the editor knows of condition fields and actions, from the core, an entry a line."""

import json
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from mnemic.core.catalogue import catalogue

#: How deep keys are written a line each; what lies below stands on one line.
_LEVELS = {"groups": 0, "testLabels": 1, "fields": 2, "actions": 1}


def _written(value: Any) -> str:
    return json.dumps(value, ensure_ascii=False)


def _lines(value: Any, levels: int, indent: str) -> Iterator[str]:
    """A value in lines, the first without what stands before it."""
    if not levels or not isinstance(value, dict):
        if not isinstance(value, list) or not value or not isinstance(value[0], dict):
            yield _written(value)
            return
        yield "["
        yield from (f"{indent}  {_written(item)}," for item in value)
        yield f"{indent}]"
        return
    yield "{"
    for key, inner in value.items():
        first, *others = _lines(inner, levels - 1, f"{indent}  ")
        *before, last = [f"{indent}  {_written(key)}: {first}", *others]
        yield from before
        yield f"{last},"
    yield f"{indent}}}"


def main(target: Path) -> None:
    """Write the module."""
    written = ["/** Made by `make api` from core/catalogue.py: change it there. */"]
    written.append("export const CATALOGUE = {")
    for key, value in catalogue().items():
        first, *others = _lines(value, _LEVELS[key], "  ")
        *before, last = [f"  {key}: {first}", *others]
        written += [*before, f"{last},"]
    written.append("} as const\n")
    target.write_text("\n".join(written), "utf-8")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
