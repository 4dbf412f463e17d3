"""Which tests each option of ``scripts/test`` runs, and what its parts come to together: with stand-ins for all that it calls."""

import os
import shutil
import subprocess
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
TOOLS = ("bash", "dirname", "cat", "tail", "mkdir")
NOT_IN_THE_BROWSER = "-m not browser"


class Repository:
    """The script, and programs that write down how they were called; one of them may fail."""

    def __init__(self, folder: Path) -> None:
        self.folder, self.log = folder, folder / "log"
        self.log.touch()
        self.bin = folder / "bin"
        self.bin.mkdir()
        for name in TOOLS:
            found = shutil.which(name)
            assert found
            (self.bin / name).symlink_to(found)
        (folder / "scripts").mkdir()
        (folder / "build").mkdir()
        shutil.copy(ROOT / "scripts" / "test", folder / "scripts" / "test")
        self.pretend("scripts/setup", "setup")
        for name in ("ruff", "mypy", "lint-imports", "pytest"):
            self.pretend(f".venv/bin/{name}", name)
        for name in ("prettier", "eslint", "tsc", "vitest"):
            self.pretend(f"frontend/node_modules/.bin/{name}", name)

    def pretend(self, program: str, name: str, script: str = "") -> None:
        path = self.folder / program
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(f'#!/bin/bash\necho "{name} $*" >> "{self.log}"\n{script}\n')
        path.chmod(0o755)

    def run(self, *options: str) -> int:
        self.log.write_text("")
        done = subprocess.run(
            [self.folder / "scripts" / "test", *options],
            env={"PATH": str(self.bin), "HOME": os.environ.get("HOME", "/")},
            capture_output=True, text=True, check=False, timeout=60,
        )  # fmt: skip
        self.said = done.stdout + done.stderr
        return done.returncode

    def called(self, name: str) -> list[str]:
        return [line for line in self.log.read_text().splitlines() if line.split()[0] == name]


@pytest.fixture
def repository(tmp_path: Path) -> Repository:
    return Repository(tmp_path)


CHECKS = ("ruff", "mypy", "lint-imports", "prettier", "eslint", "tsc", "vitest")


@pytest.mark.parametrize("options", [(), ("--quick",), ("--all",), ("-k", "one")])
def test_every_part_begins_with_the_checks(
    repository: Repository, options: tuple[str, ...]
) -> None:
    assert repository.run(*options) == 0
    for check in CHECKS:
        assert repository.called(check), check
    assert repository.called("setup")[0] == "setup --tests --uncompiled"


def test_every_day_leaves_out_the_endurance_part(repository: Repository) -> None:
    assert repository.run() == 0
    first, stories = repository.called("pytest")
    assert "-m not browser and not endurance" in first
    assert "-m browser and not endurance" in stories
    assert all("--durations=20" in one for one in (first, stories))


def test_all_runs_everything_and_the_kernels_with_every_index_checked(
    repository: Repository,
) -> None:
    repository.pretend(
        ".venv/bin/pytest", "pytest",
        f'echo "checked $NUMBA_BOUNDSCHECK $GOSHAWK_KERNELS" >> "{repository.folder}/log"',
    )  # fmt: skip
    assert repository.run("--all") == 0
    calls = repository.called("pytest")
    assert len(calls) == 3
    kernels = next(one for one in calls if "test_every_stage.py tests" in one)
    assert "--ignore" not in kernels
    rest = next(one for one in calls if NOT_IN_THE_BROWSER in one)
    assert "endurance" not in rest
    assert "--ignore=tests/core/dsp/test_every_stage.py" in rest, "they have run"
    assert "-m browser --durations" in calls[-1]
    assert "checked 1 build/numba-checked" in repository.called("checked")


def test_quick_runs_some_of_the_core_and_the_stories_chosen_for_it(repository: Repository) -> None:
    assert repository.run("--quick") == 0
    core, stories = repository.called("pytest")
    assert "tests/core" in core
    assert "-m not endurance" in core
    assert "-m browser and quick" in stories


def test_other_options_are_pytests(repository: Repository) -> None:
    assert repository.run("-m", "browser", "tests/stories") == 0
    assert repository.called("pytest") == ["pytest -m browser tests/stories"]


@pytest.mark.parametrize("check", CHECKS)
def test_a_check_that_fails_ends_it_before_the_tests(repository: Repository, check: str) -> None:
    front_end = ("prettier", "eslint", "tsc", "vitest")
    where = "frontend/node_modules/.bin" if check in front_end else ".venv/bin"
    repository.pretend(f"{where}/{check}", check, "echo something is wrong; exit 3")
    assert repository.run() != 0
    assert not repository.called("pytest")
    assert "something is wrong" in repository.said


@pytest.mark.parametrize("failing", ["not browser", "browser and not"])
def test_a_part_that_fails_is_the_result_and_the_others_run_all_the_same(
    repository: Repository, failing: str
) -> None:
    repository.pretend(
        ".venv/bin/pytest", "pytest", f'[[ "$*" != *"-m {failing}"* ]] || exit 4'
    )  # fmt: skip
    assert repository.run() == 4
    assert len(repository.called("pytest")) == 2


def test_the_chosen_stories_open_every_view() -> None:
    """What quick runs of the browser is more than nothing: pytest would say that by a code of its own."""
    sources = [path.read_text() for path in (ROOT / "tests" / "stories").glob("test_*.py")]
    assert sum(text.count("mark.quick") for text in sources) >= 3
