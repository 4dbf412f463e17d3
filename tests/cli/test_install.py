"""Installed: started with the session, compiled at the first start, licences listed."""

import json
import socket
import urllib.error
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from goshawk.cli import first_run
from goshawk.cli.autostart import unit_path
from goshawk.errors import EngineLost
from tests.cli.test_cli import goshawk


@pytest.fixture
def home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A home of its own, in which ``systemctl`` writes down what it is asked for."""
    monkeypatch.setenv("HOME", str(tmp_path))
    for name in ("XDG_CONFIG_HOME", "XDG_CACHE_HOME"):
        monkeypatch.delenv(name, raising=False)
    program = tmp_path / "bin" / "systemctl"
    program.parent.mkdir()
    program.write_text(
        f'#!/bin/sh\necho "$@" >> "{tmp_path}/asked"\n[ ! -e "{tmp_path}/refuses" ] || {{ echo "Failed: no bus" >&2; exit 1; }}\n'
    )
    program.chmod(0o755)
    monkeypatch.setenv("PATH", f"{program.parent}:/usr/bin:/bin")
    return tmp_path


def test_it_starts_with_the_session_and_no_more(home: Path) -> None:
    done = goshawk("autostart", "on")
    assert done.returncode == 0
    assert str(unit_path()) in done.stdout
    unit = unit_path().read_text()
    assert '"-m" "goshawk.cli.main" "serve" "--no-open"' in unit
    assert "enable --now goshawk.service" in (home / "asked").read_text()
    assert goshawk("autostart", "off").stdout.startswith("Goshawk starts by itself no more")
    assert not unit_path().exists()
    assert "did not start" in goshawk("autostart", "off").stdout


def test_what_the_system_refuses_is_said_and_leaves_nothing(home: Path) -> None:
    (home / "refuses").touch()
    done = goshawk("autostart", "on")
    assert done.returncode == 2
    assert "no bus" in done.stderr
    assert not unit_path().exists()
    (home / "bin" / "systemctl").unlink()
    assert goshawk("autostart", "perhaps").returncode == 2


def test_the_first_start_compiles_and_shows_how_far_it_is(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    seen: list[dict[str, Any]] = []
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]

    def ask(path: str) -> bytes:
        with urllib.request.urlopen(f"http://127.0.0.1:{port}{path}", timeout=5.0) as reply:
            return bytes(reply.read())

    class Compiler:
        returncode = 0

        def __init__(self, command: list[str], **_: object) -> None:
            assert command[-1] == "warm-up"

        def __enter__(self) -> "Compiler":
            return self

        def __exit__(self, *_: object) -> None: ...

        @property
        def stdout(self) -> Iterator[str]:
            for count in (0, first_run.ABOUT_SO_MANY // 2):
                yield f"{count}\n"
                seen.append(json.loads(ask("/progress.json")))

        def wait(self) -> None:
            assert b"Goshawk is being set up" in ask("/")

    monkeypatch.setattr(first_run, "are_compiled", lambda: False)
    monkeypatch.setattr(first_run.subprocess, "Popen", Compiler)
    assert not first_run.compile_at_first(port)
    assert [one["share"] for one in seen] == [0.0, pytest.approx(0.5, abs=0.01)]
    assert [step["is_done"] for one in seen for step in one["steps"]] == [False, False]
    assert first_run.STEP in capsys.readouterr().err
    with pytest.raises(urllib.error.URLError):  # the port is Goshawk's now
        ask("/")
    monkeypatch.setattr(Compiler, "returncode", 1)
    with pytest.raises(EngineLost, match="could not be compiled: no reason was given"):
        first_run.compile_at_first(port)


def test_licences_of_all_that_is_shipped_are_listed() -> None:
    said = goshawk("licences").stdout
    for wanted in ("MIT License", "Name: react", "hyperlegible", "CC-BY-3.0", "numba"):
        assert wanted in said, wanted
