"""A studio without an audio process."""

from collections.abc import Iterator
from pathlib import Path

import pytest

from goshawk.store.database import open_database
from goshawk.web.studio import Studio
from tests.web.silent import SilentEngine


@pytest.fixture
def studio(tmp_path: Path) -> Iterator[Studio]:
    opened = open_database(tmp_path / "goshawk.db")
    studio = Studio(tmp_path, opened)
    studio.engine = SilentEngine()  # type: ignore[assignment]
    yield studio
    studio.looper.close()
    studio.work.clear()
    opened.connection.close()
