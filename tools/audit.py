"""Report locked Python packages with known vulnerabilities; ends with 1 where there are any.

Told offline by the last open copy of the Safety database that the registry has (package
``safety-db``), which is years old: it knows nothing newer, and nothing of the front end's packages.
"""

import json
import sys
from collections.abc import Iterator
from importlib.metadata import distribution
from pathlib import Path

from packaging.requirements import Requirement
from packaging.specifiers import SpecifierSet

LOCKED = [Path(__file__).parents[1] / "requirements" / f"{name}.txt" for name in ("runtime", "dev")]


def locked() -> dict[str, str]:
    """The version of each locked package."""
    lines = [line for path in LOCKED for line in path.read_text("utf-8").splitlines()]
    pinned = [line.partition(" ")[0] for line in lines if "==" in line and line[0].isalnum()]
    return {
        Requirement(line).name.lower(): line.partition("==")[2].partition(";")[0] for line in pinned
    }


def vulnerable(versions: dict[str, str], known: dict[str, list[str]]) -> Iterator[str]:
    """What is locked in a version that is known to be vulnerable."""
    for name, version in sorted(versions.items()):
        for vulnerable in known.get(name, []):
            if version in SpecifierSet(vulnerable, prereleases=True):
                yield f"{name} {version} ({vulnerable})"


def main() -> None:
    """Report."""
    database = distribution("safety-db")
    path = database.locate_file("safety_db/insecure.json")
    known = json.loads(Path(str(path)).read_text("utf-8"))
    versions = locked()
    advisories = list(vulnerable(versions, known))
    sys.stdout.write(f"{len(versions)} locked packages, {len(advisories)} known to be vulnerable")
    sys.stdout.write(
        f" by safety-db {database.version}\n" + "".join(f"  {line}\n" for line in advisories)
    )
    sys.exit(bool(advisories))


if __name__ == "__main__":
    main()
