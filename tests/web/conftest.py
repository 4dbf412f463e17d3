"""A application without processes."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from goshawk.engine.spawn import Spawned
from goshawk.observer.desk import Desk
from goshawk.store.database import open_database
from goshawk.timeline.memory import Memory
from goshawk.web.application import Application
from tests.web.silent import ObserverBeside, SilentEngine


def make_application(folder: Path) -> Application:
    nobody: Any = None
    memory = Memory.local()
    clients: Any = {
        "engine_client": SilentEngine,
        # It reads the engine's memory, which has no name here.
        "observer_client": lambda name, *others: ObserverBeside(memory, *others),
    }
    return Application(
        folder, open_database(folder / "goshawk.db"), Spawned(nobody, nobody, memory), **clients
    )


def desk_of(application: Application) -> Desk:
    """The observer's side."""
    desk = application.observer.desk  # type: ignore[attr-defined]
    assert isinstance(desk, Desk)
    return desk


@pytest.fixture
def application(tmp_path: Path) -> Iterator[Application]:
    application = make_application(tmp_path)
    yield application
    desk_of(application).looper.close()
    application.work.clear()
    application.store.connection.close()
