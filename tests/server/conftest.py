"""A running Goshawk for all tests of the whole."""

import os
from collections.abc import Iterator

import pytest

from tests.server.running import Server


@pytest.fixture(scope="module")
def server(
    request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory
) -> Iterator[Server]:
    """In the environment that the tests' file asks for."""
    more: dict[str, str] = getattr(request.module, "ENVIRONMENT", {})
    server = Server(tmp_path_factory.mktemp("server") / "data", {**os.environ, **more})
    yield server
    server.stop()
