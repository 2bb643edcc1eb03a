"""What tests of connected accounts begin with."""

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.jobs.server.handing import Handed, handing


@pytest.fixture
def handed(tmp_path: Path) -> Iterator[Handed]:
    with handing(tmp_path) as one:
        one.passing()
        yield one
