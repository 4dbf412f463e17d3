"""A studio without processes."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from goshawk.engine.spawn import Spawned
from goshawk.observer.desk import Desk
from goshawk.store.database import open_database
from goshawk.timeline.memory import Memory
from goshawk.web.studio import Studio
from tests.web.silent import ObserverBeside, SilentEngine


def make_studio(folder: Path) -> Studio:
    nobody: Any = None
    memory = Memory.local()
    studio = Studio(folder, open_database(folder / "goshawk.db"), Spawned(nobody, nobody, memory))
    studio.engine = SilentEngine(memory)  # type: ignore[assignment]
    studio.observer = ObserverBeside(
        memory, studio._begin, studio._wanted, studio._on_said, studio._save
    )  # type: ignore[assignment]
    return studio


def desk_of(studio: Studio) -> Desk:
    """The observer's side."""
    desk = studio.observer.desk  # type: ignore[attr-defined]
    assert isinstance(desk, Desk)
    return desk


@pytest.fixture
def studio(tmp_path: Path) -> Iterator[Studio]:
    studio = make_studio(tmp_path)
    yield studio
    desk_of(studio).looper.close()
    studio.work.clear()
    studio._db.close()
