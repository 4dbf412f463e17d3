"""The page that is shown while Goshawk is set up: by this package, and by a Python that has nothing but its own library."""

import json
import socket
import subprocess
import sys
import urllib.error
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from goshawk import first_page
from goshawk.first_page import FirstPage, Progress
from tests.waiting import wait_for

FILE = Path(first_page.__file__)


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
    return port


def ask(port: int, path: str = "/") -> bytes:
    with urllib.request.urlopen(f"http://127.0.0.1:{port}{path}", timeout=5.0) as reply:
        return bytes(reply.read())


def steps_at(port: int) -> list[tuple[str, bool]]:
    told = json.loads(ask(port, "/progress.json"))
    return [(one["text"], one["is_done"]) for one in told["steps"]]


@pytest.fixture
def clock(monkeypatch: pytest.MonkeyPatch) -> list[float]:
    now = [100.0]
    monkeypatch.setattr(first_page.time, "monotonic", lambda: now[0])
    return now


def test_steps_beside_each_other_have_their_own_times(clock: list[float]) -> None:
    progress = Progress()
    progress.begin("Installing Python packages")
    clock[0] += 4.0
    progress.begin("Building the page")
    clock[0] += 2.0
    progress.end("Building the page")
    clock[0] += 10.0
    progress.end("Something that never began")
    assert json.loads(progress.as_json()) == {
        "share": None,
        "steps": [
            {"text": "Installing Python packages", "seconds": 16.0, "is_done": False},
            {"text": "Building the page", "seconds": 2.0, "is_done": True},
        ],
    }


def test_a_step_that_comes_twice_is_ended_where_it_runs(clock: list[float]) -> None:
    progress = Progress()
    for seconds in (1.0, 3.0):
        progress.begin("Building the page")
        clock[0] += seconds
        progress.end("Building the page")
    told = json.loads(progress.as_json())["steps"]
    assert [one["seconds"] for one in told] == [1.0, 3.0]


@pytest.fixture
def served() -> Iterator[tuple[int, Progress]]:
    port, progress = free_port(), Progress()
    page = FirstPage(port, progress)
    yield port, progress
    page.close()


def test_it_serves_a_page_its_progress_and_nothing_that_passes_for_goshawk(
    served: tuple[int, Progress],
) -> None:
    port, progress = served
    progress.begin("Compiling")
    progress.share = 0.25
    assert b"Goshawk is being set up" in ask(port)
    assert b"Goshawk is being set up" in ask(port, "/?task=chain"), "any address of the page"
    told = json.loads(ask(port, "/progress.json"))
    assert told["share"] == 0.25
    # The page reloads once this answers: not before Goshawk itself does.
    with pytest.raises(urllib.error.HTTPError) as refused:
        ask(port, "/api/state")
    assert refused.value.code == 503
    refused.value.close()


def test_nothing_of_it_is_kept_or_heard_elsewhere(served: tuple[int, Progress]) -> None:
    port, _ = served
    with urllib.request.urlopen(f"http://127.0.0.1:{port}/", timeout=5.0) as reply:
        assert reply.headers["Cache-Control"] == "no-store"
    names = {one[4][0] for one in socket.getaddrinfo(socket.gethostname(), port)}
    for name in names - {"127.0.0.1", "::1"}:
        if name.startswith("127."):
            continue  # a name of this computer's own loopback
        with pytest.raises(ConnectionRefusedError):
            socket.create_connection((name, port), timeout=2.0).close()


def test_a_visitor_that_says_nothing_keeps_nobody_waiting(served: tuple[int, Progress]) -> None:
    port, _ = served
    silent = [socket.create_connection(("127.0.0.1", port), timeout=5.0) for _ in range(8)]
    try:
        assert b"Goshawk" in ask(port)
    finally:
        for one in silent:
            one.close()


class AsAProgram:
    """Run as ``scripts/demo`` runs it: by its file, without this package and what it needs."""

    def __init__(self, port: int, file: Path) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-I", "-S", FILE, str(port), str(file)],
            stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
        )  # fmt: skip

    def stop(self) -> str:
        self.process.terminate()
        return self.process.communicate(timeout=30.0)[0]


def test_a_plain_python_follows_what_the_set_up_writes(tmp_path: Path) -> None:
    port, file = free_port(), tmp_path / "setup.steps"
    file.write_text("begin Installing Python packages\n")
    program = AsAProgram(port, file)
    try:
        first = [("Installing Python packages", False)]
        assert wait_for("the first step", lambda: steps_at(port) == first)
        with file.open("a") as more:
            more.write(
                "begin Building the page\nend Installing Python packages\nsaid something else\n"
            )
        both = [("Installing Python packages", True), ("Building the page", False)]
        assert wait_for("the second", lambda: steps_at(port) == both)
    finally:
        said = program.stop()
    assert said == ""
    with pytest.raises(urllib.error.URLError):
        ask(port)


def test_where_the_port_is_taken_the_set_up_goes_on_without_it(tmp_path: Path) -> None:
    file = tmp_path / "setup.steps"
    file.touch()
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        program = AsAProgram(taken.getsockname()[1], file)
        said = program.process.communicate(timeout=30.0)[0]
    assert (program.process.returncode, said) == (0, "")


def test_the_page_is_one_file_that_asks_for_nothing_else() -> None:
    page: Any = first_page._PAGE
    for outside in ("http://", "https://", "src=", "<link", "@import", "url("):
        assert outside not in page
    assert 'lang="en"' in page
    assert "The terminal says what is wrong." in page, "where the set-up has failed"
