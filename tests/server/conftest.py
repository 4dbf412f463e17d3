"""A running Goshawk for all tests of the whole."""

from collections.abc import Iterator

import pytest

from tests.server.running import Server


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    server = Server(tmp_path_factory.mktemp("server") / "data")
    yield server
    server.stop()
