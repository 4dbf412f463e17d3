"""Where compiled kernels are kept, and whether all of them are there. Processes that do not load the compiler can ask this
(``kernel_cache.py`` loads it)."""

import hashlib
import os
import platform
import re
import sys
import tempfile
from collections.abc import Iterable
from contextlib import suppress
from functools import cache
from importlib.metadata import version
from pathlib import Path

import platformdirs

from goshawk.paths import PACKAGE

SHIPPED = PACKAGE / "kernels"
NOTE = "made_for"
PLACE = "GOSHAWK_KERNELS"
"""Names another folder: tests compile with every index checked, apart from the others."""

_IMPORTS = re.compile(
    r"^[ ]*(?:from[ ]+(goshawk[\w.]*)[ ]+import[ ]+(\([^)]*\)|[^\n]*)|import[ ]+(goshawk[\w.]*))",
    re.M,
)


@cache
def _content(file: Path) -> bytes:
    return file.read_bytes()


@cache
def _imported(file: Path) -> frozenset[Path]:
    """Return the files of Goshawk that a file imports."""
    found = set()
    for module, names, plain in _IMPORTS.findall(_content(file).decode()):
        at = PACKAGE.parent.joinpath(*(module or plain).split("."))
        candidates = [at, *(at / name for name in re.findall(r"\w+", names))]
        found |= {
            file for one in candidates for file in (one.with_suffix(".py"), one / "__init__.py")
        }
    return frozenset(one for one in found if one.is_file())


@cache
def sources_of(file: Path) -> frozenset[Path]:
    """Return a file of Goshawk and all files that it imports, directly or not: its kernels may hold code or constants of each."""
    found, waiting = {file}, [file]
    while waiting:
        more = _imported(waiting.pop()) - found
        found |= more
        waiting += more
    return frozenset(found)


def hashed(files: Iterable[Path], more: str = "") -> str:
    """Return a hash of the contents and places of files of Goshawk, and of ``more``."""
    whole = hashlib.sha256(more.encode())
    for one in sorted(files):
        whole.update(str(one.relative_to(PACKAGE)).encode() + b"\0" + _content(one) + b"\0")
    return whole.hexdigest()


_LEVEL_3 = {"avx", "avx2", "bmi1", "bmi2", "f16c", "fma", "abm", "movbe", "sse4_2"}
_LIBRARIES = ("llvmlite", "numba", "numpy", "rocket-fft")


def _processor() -> str:
    """Return the processor that kernels are compiled for here, as ``core/compiled.py`` decides it."""
    with suppress(OSError):
        lines = Path("/proc/cpuinfo").read_text().splitlines()
        flags = next((line for line in lines if line.startswith("flags")), "")
        if set(flags.split()) >= _LEVEL_3:
            return "x86-64-v3"
    return f"{platform.machine()} {platform.processor()} {platform.node()}"


@cache
def _made_for() -> str:
    """Return everything that kernels depend on, except numba's switches, which each kernel's stamp holds."""
    libraries = " ".join(f"{name} {version(name)}" for name in _LIBRARIES)
    sources = hashed(sources_of(PACKAGE / "engine" / "loop.py"))
    return "\n".join((sys.platform, _processor(), sys.version, libraries, sources))


def _is_noted(place: Path) -> bool:
    try:
        return (place / NOTE).read_text() == _made_for()
    except OSError:
        return False


def _may_be_written(folder: Path) -> bool:
    try:
        folder.mkdir(exist_ok=True)
        tempfile.TemporaryFile(dir=folder).close()
    except OSError:
        return False
    return True


@cache
def place() -> Path:
    """Return the folder of all compiled kernels: beside the code; or in the user's cache, if the folder beside the code cannot be
    written and its kernels do not fit."""
    if PLACE in os.environ:
        return Path(os.environ[PLACE])
    if _is_noted(SHIPPED) or _may_be_written(SHIPPED):
        return SHIPPED
    which = hashlib.sha256(str(PACKAGE).encode()).hexdigest()[:12]
    return platformdirs.user_cache_path("goshawk") / f"kernels-{which}"


def are_compiled() -> bool:
    """Return whether every kernel of the engine is compiled, for this Goshawk, compiler and processor."""
    return _is_noted(place())


def note_compiled() -> None:
    """Note that all are compiled now. If the note cannot be written, the next start looks again."""
    with suppress(OSError):
        place().mkdir(parents=True, exist_ok=True)
        (place() / NOTE).write_text(_made_for())


def count() -> int:
    """Return how many kernels are compiled so far."""
    return sum(1 for _ in place().rglob("*.nbi"))
