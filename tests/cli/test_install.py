"""Installed: started with the session, compiled at the first start, licences listed."""

from pathlib import Path

import pytest

from goshawk.cli import first_run
from goshawk.cli.autostart import unit_path
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


def test_the_first_start_compiles_once_and_says_so(
    home: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setattr(first_run, "MANY_KERNELS", 10**6)
    assert not first_run.are_compiled()
    started: list[list[str]] = []

    class Compiler:
        returncode, stderr = 0, None

        def __init__(self, command: list[str], **_: object) -> None:
            started.append(command)

        def __enter__(self) -> "Compiler":
            return self

        def __exit__(self, *_: object) -> None: ...

        def poll(self) -> int:
            return 0

    monkeypatch.setattr(first_run.subprocess, "Popen", Compiler)
    first_run.compile_at_first()
    first_run.compile_at_first()
    assert [one[-1] for one in started] == ["warm-up"]
    assert "The first start" in capsys.readouterr().err


def test_licences_of_all_that_is_shipped_are_listed() -> None:
    said = goshawk("licences").stdout
    for wanted in ("MIT License", "Name: react", "hyperlegible", "CC-BY-3.0", "numba"):
        assert wanted in said, wanted
