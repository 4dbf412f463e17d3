"""Compiled kernels: found again where everything is the same, and never run where anything is not."""

import json
import shutil
import subprocess
import sys
from pathlib import Path

import numba
import pytest

import goshawk.core.compiled  # noqa: F401  It tells numba for which processor to compile.
from goshawk import kernel_note
from goshawk.paths import PACKAGE

KERNELS = {
    "units.py": "FACTOR = 2.0\n",
    "inner.py": "from goshawk.core.compiled import kernel\n\n@kernel\ndef twice(x):\n    return 2.0 * x\n",
    "outer.py": "from goshawk.core.compiled import kernel\nfrom goshawk.core.inner import twice\n\n"
    "@kernel\ndef four_times(x):\n    return 2.0 * twice(x)\n",
}
RUN = """
import json
from goshawk.core.outer import four_times
from numba import config
result = four_times(1.0)
stats = four_times.stats
print(json.dumps([result, sum(stats.cache_hits.values()), sum(stats.cache_misses.values()), config.CPU_NAME]))
"""


class Computer:
    """A Goshawk of a few kernels, in a folder of its own."""

    def __init__(self, folder: Path) -> None:
        self.package = folder / "goshawk"
        for name in (
            "__init__.py",
            "paths.py",
            "kernel_note.py",
            "kernel_cache.py",
            "core/compiled.py",
            "core/steps.py",
        ):
            copy = self.package / name
            copy.parent.mkdir(parents=True, exist_ok=True)
            shutil.copy(PACKAGE / name, copy)
        for name in ("core/__init__.py", "engine/loop.py"):
            copy = self.package / name
            copy.parent.mkdir(exist_ok=True)
            copy.write_text("")
        for name, text in KERNELS.items():
            (self.package / "core" / name).write_text(text)

    def folders(self) -> set[str]:
        """Of all compiled kernels, as the names of file and stamp."""
        found = {one.parent for one in (self.package / "kernels").rglob("*.nbi")}
        return {f"{one.parent.name}/{one.name}" for one in found}

    def sweep(self) -> None:
        code = "from goshawk.core.compiled import kernel\nfrom goshawk.kernel_cache import sweep\nsweep()"
        subprocess.run([sys.executable, "-c", code], cwd=self.package.parent, check=True)

    def change(self, name: str, old: str, new: str) -> None:
        file = self.package / "core" / name
        assert old in file.read_text()
        file.write_text(file.read_text().replace(old, new))

    def run(self, **env: str) -> tuple[float, bool, str | None]:
        """What comes out, whether it was found compiled, and for which processor."""
        done = subprocess.run(
            [sys.executable, "-c", RUN],
            cwd=self.package.parent, env={"PATH": "/usr/bin:/bin", "HOME": str(self.package.parent), **env},
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        assert done.returncode == 0, done.stderr
        result, hits, misses, processor = json.loads(done.stdout)
        assert hits + misses == 1
        return result, hits == 1, processor


def test_a_kernel_is_found_again_and_never_when_it_is_made_of_something_else(
    tmp_path: Path,
) -> None:
    computer = Computer(tmp_path / "one")
    assert computer.run()[:2] == (4.0, False)
    assert computer.run()[:2] == (4.0, True)
    # Moved and copied, as by a wheel: the ages of the files say nothing.
    moved = tmp_path / "another"
    shutil.copytree(tmp_path / "one", moved, copy_function=shutil.copyfile)
    computer.package = moved / "goshawk"
    assert computer.run()[:2] == (4.0, True)
    # A kernel that it calls has changed, in another file.
    computer.change("inner.py", "2.0 * x", "3.0 * x")
    assert computer.run()[:2] == (6.0, False)
    assert computer.run()[:2] == (6.0, True)
    # Another processor, and other ways to compile: not these.
    assert computer.run(NUMBA_CPU_NAME="x86-64", NUMBA_CPU_FEATURES="")[1:] == (False, "x86-64")
    assert not computer.run(NUMBA_BOUNDSCHECK="1")[1]
    # The compiler that made it is another one.
    for index in computer.package.rglob("*.nbi"):
        index.write_bytes(index.read_bytes().replace(b"0.", b"9.", 1))
    assert computer.run()[:2] == (6.0, False)


def test_what_no_source_leads_to_any_more_is_removed(tmp_path: Path) -> None:
    computer = Computer(tmp_path)
    computer.run()
    first = computer.folders()
    assert len(first) == 2, "of both files"
    computer.sweep()
    assert computer.folders() == first
    computer.change("inner.py", "2.0 * x", "3.0 * x")
    computer.run()
    assert len(computer.folders()) == 4
    computer.sweep()
    assert len(computer.folders()) == 2
    assert not computer.folders() & first
    assert computer.run()[:2] == (6.0, True)
    (computer.package / "core" / "outer.py").unlink()
    computer.sweep()
    assert [one.partition("/")[0] for one in computer.folders()] == ["inner"]


def test_reached_by_another_path_it_is_the_same_kernel(tmp_path: Path) -> None:
    computer = Computer(tmp_path / "real")
    computer.run()
    (tmp_path / "linked").symlink_to(tmp_path / "real")
    computer.package = tmp_path / "linked" / "goshawk"
    assert computer.run()[:2] == (4.0, True)
    assert not list((tmp_path / "real").rglob("__pycache__/*.nbi")), "all lie in one place"


def test_where_nobody_may_write_they_go_to_the_users_cache(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    shipped = tmp_path / "a file, in which no folder can be made"
    shipped.touch()
    monkeypatch.delenv(kernel_note.PLACE, raising=False)
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    monkeypatch.setattr(kernel_note, "SHIPPED", shipped)
    kernel_note.place.cache_clear()
    try:
        assert kernel_note.place().parent == tmp_path / "cache" / "goshawk"
        assert not kernel_note.are_compiled()
        kernel_note.note_compiled()
        assert kernel_note.are_compiled()
        # Those that were shipped and fit are run from where they lie, also where nobody may write.
        shipped.unlink()
        shipped.mkdir()
        shutil.copy(kernel_note.place() / kernel_note.NOTE, shipped)
        monkeypatch.setattr(kernel_note, "_may_be_written", lambda folder: False)
        kernel_note.place.cache_clear()
        assert kernel_note.place() == shipped
    finally:
        monkeypatch.undo()
        kernel_note.place.cache_clear()


def test_the_note_and_the_compiler_speak_of_the_same_processor() -> None:
    aims_at = numba.config.CPU_NAME  # type: ignore[attr-defined]
    assert (kernel_note._processor() == "x86-64-v3") == (aims_at == "x86-64-v3")


def test_imports_of_every_kind_are_seen(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    package = tmp_path / "goshawk"
    texts = {
        "a.py": "import goshawk.b\nfrom goshawk import c\n",
        "b.py": "from goshawk.d import (\n    one,\n    two,\n)\n",
        "c.py": "if True:\n    from goshawk.e import three\n",
        "d/__init__.py": "",
        "d/one.py": "from goshawk.a import again  # in a circle\n",
        "e.py": "# from goshawk.f import nothing\ntext = 'import goshawk.f'\n",
        "f.py": "",
    }
    for name, text in texts.items():
        (package / name).parent.mkdir(parents=True, exist_ok=True)
        (package / name).write_text(text)
    monkeypatch.setattr(kernel_note, "PACKAGE", package)
    found = {str(one.relative_to(package)) for one in kernel_note.sources_of(package / "a.py")}
    assert found == {"a.py", "b.py", "c.py", "d/__init__.py", "d/one.py", "e.py"}


def test_all_are_there_only_for_what_they_were_compiled_for(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv(kernel_note.PLACE, str(tmp_path))
    kernel_note.place.cache_clear()
    try:
        assert not kernel_note.are_compiled()
        kernel_note.note_compiled()
        assert kernel_note.are_compiled()
        note = tmp_path / kernel_note.NOTE
        for known in ("x86-64-v3", "numba 0"):
            text = note.read_text()
            if known in text:  # A processor without level 3 is noted by its own name.
                note.write_text(text.replace(known, "another"))
                assert not kernel_note.are_compiled()
                note.write_text(text)
    finally:
        kernel_note.place.cache_clear()


def test_what_a_kernel_is_made_of_is_all_that_its_file_imports() -> None:
    suppressor = {one.name for one in kernel_note.sources_of(PACKAGE / "core/dsp/suppressor.py")}
    assert {
        "suppressor.py",
        "pitch_comb.py",
        "spectral_gain.py",
        "voice_model.py",
        "units.py",
    } <= suppressor
    assert "rig.py" not in suppressor
