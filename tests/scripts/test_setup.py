"""The set-up script on machines that lack something: one sentence, what to do, exit code 2."""

import os
import shutil
import subprocess
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
TOOLS = (
    "bash",
    "dirname",
    "cat",
    "mkdir",
    "sha256sum",
    "cut",
    "find",
    "sort",
    "xargs",
    "env",
    "printf",
)


@pytest.fixture
def machine(tmp_path: Path) -> Path:
    """A copy of what set-up reads, and a PATH with next to nothing on it."""
    for name in ("scripts", "docs/guide", "frontend/src", "frontend/public"):
        shutil.copytree(ROOT / name, tmp_path / "clone" / name)
    for name in (
        "requirements.lock", "requirements-dev.lock", "pyproject.toml", "frontend/package-lock.json", "frontend/index.html",
        "frontend/listen.html", "frontend/small.html", "frontend/vite.config.ts",
    ):  # fmt: skip
        shutil.copy(ROOT / name, tmp_path / "clone" / name)
    bin_dir = tmp_path / "bin"
    bin_dir.mkdir()
    for tool in TOOLS:
        found = shutil.which(tool)
        if found:
            (bin_dir / tool).symlink_to(found)
    return tmp_path


def pretend(machine: Path, program: str, script: str) -> None:
    path = machine / "bin" / program
    path.write_text(f"#!/bin/bash\n{script}\n")
    path.chmod(0o755)


def set_up(machine: Path) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [machine / "clone" / "scripts" / "setup"],
        env={**os.environ, "PATH": str(machine / "bin")},
        capture_output=True, text=True, check=False, timeout=60,
    )  # fmt: skip


def test_without_python_or_with_too_old_a_python(machine: Path) -> None:
    done = set_up(machine)
    assert done.returncode == 2
    assert "Python 3.11 or newer was not found. Install it" in done.stderr
    pretend(machine, "python3", "exit 1  # what the version check of an old one gives")
    assert "Python 3.11 or newer was not found" in set_up(machine).stderr


def python_is_done(machine: Path) -> None:
    """As after the first step: a Python, and its packages in place."""
    pretend(machine, "python3", "exit 0")
    clone = machine / "clone"
    made = subprocess.run(
        "cat requirements.lock pyproject.toml | sha256sum | cut -c1-16",
        shell=True, cwd=clone, capture_output=True, text=True, check=True,
    )  # fmt: skip
    (clone / "build").mkdir()
    (clone / "build" / "python.done").write_text(made.stdout)


def test_without_node_or_with_too_old_a_node(machine: Path) -> None:
    python_is_done(machine)
    done = set_up(machine)
    assert done.returncode == 2
    assert "Node.js is not installed. Install Node.js 20 or newer" in done.stderr
    pretend(machine, "npm", "exit 0")
    pretend(machine, "node", '[ "$1" = --version ] && echo v18.1.0; exit 1')
    done = set_up(machine)
    assert done.returncode == 2
    assert "Node.js v18.1.0 is too old" in done.stderr


def test_what_is_done_is_not_done_again(machine: Path) -> None:
    python_is_done(machine)
    pretend(machine, "node", "exit 0")
    log = machine / "log"
    pretend(machine, "npm", f"echo npm >> {log}; mkdir -p node_modules/.bin")
    clone = machine / "clone"
    vite = clone / "frontend" / "node_modules" / ".bin" / "vite"
    vite.parent.mkdir(parents=True)
    python = clone / ".venv" / "bin" / "python"
    python.parent.mkdir(parents=True)
    python.write_text(
        f"#!/bin/bash\n[[ $(cat {log}) == *warm-up* ]]\n"
    )  # whether they are compiled
    python.chmod(0o755)
    for program, line in ((vite, "vite"), (clone / ".venv" / "bin" / "goshawk", "warm-up")):
        program.parent.mkdir(parents=True, exist_ok=True)
        program.write_text(f"#!/bin/bash\necho {line} >> {log}\nmkdir -p ../goshawk/page\n")
        program.chmod(0o755)
    assert set_up(machine).returncode == 0
    first = log.read_text().split()
    assert sorted(first) == ["npm", "vite", "warm-up"]  # page and kernels are made side by side
    assert first.index("npm") < first.index("vite")
    assert set_up(machine).returncode == 0
    assert log.read_text().split() == first
    with (clone / "frontend" / "src" / "main.tsx").open("a") as file:
        file.write("// changed\n")
    assert set_up(machine).returncode == 0
    assert log.read_text().split() == [*first, "vite"]


def test_a_page_that_cannot_be_made_is_no_success(machine: Path) -> None:
    python_is_done(machine)
    pretend(machine, "node", "exit 0")
    pretend(machine, "npm", "echo no network >&2; exit 7")
    warm_up = machine / "clone" / ".venv" / "bin" / "goshawk"
    warm_up.parent.mkdir(parents=True)
    warm_up.write_text("#!/bin/bash\n")
    warm_up.chmod(0o755)
    done = set_up(machine)
    assert done.returncode == 7
    assert "no network" in done.stderr
