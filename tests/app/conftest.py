"""What the tests of the application share."""

from collections.abc import Iterator
from pathlib import Path

import pytest

from kiteroll.store.database import Database
from tests.support.live import LiveRun


@pytest.fixture
def live(database: Database, tmp_path: Path) -> Iterator[LiveRun]:
    """The application with one switch, driven by hand."""
    with LiveRun(database, tmp_path / "data", ["quay-1"]) as run:
        yield run
