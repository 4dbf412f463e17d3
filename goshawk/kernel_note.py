"""Where compiled kernels are kept, and whether all are there. Asked by processes that do not load the compiler (``kernel_cache.py`` does)."""

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
    """The files of Goshawk that one imports."""
    found = set()
    for module, names, plain in _IMPORTS.findall(_content(file).decode()):
        at = PACKAGE.parent.joinpath(*(module or plain).split("."))
        candidates = [at, *(at / name for name in re.findall(r"\w+", names))]
        found |= {one.with_suffix(".py") for one in candidates}
    return frozenset(one for one in found if one.is_file())


@cache
def sources_of(file: Path) -> frozenset[Path]:
    """A file of Goshawk and all that it imports, directly or not: what its kernels may hold."""
    found, waiting = {file}, [file]
    while waiting:
        more = _imported(waiting.pop()) - found
        found |= more
        waiting += more
    return frozenset(found)


def hashed(files: Iterable[Path], more: str = "") -> str:
    """A name for what files of Goshawk hold, and for something more."""
    whole = hashlib.sha256(more.encode())
    for one in sorted(files):
        whole.update(str(one.relative_to(PACKAGE)).encode() + b"\0" + _content(one) + b"\0")
    return whole.hexdigest()


_LEVEL_3 = {"avx", "avx2", "bmi1", "bmi2", "f16c", "fma", "abm", "movbe", "sse4_2"}
_LIBRARIES = ("llvmlite", "numba", "numpy", "rocket-fft")


def _processor() -> str:
    """What kernels are compiled for here, as ``core/compiled.py`` decides it."""
    with suppress(OSError):
        lines = Path("/proc/cpuinfo").read_text().splitlines()
        flags = next((line for line in lines if line.startswith("flags")), "")
        if set(flags.split()) >= _LEVEL_3:
            return "x86-64-v3"
    return f"{platform.machine()} {platform.processor()} {platform.node()}"


@cache
def _made_for() -> str:
    """All that kernels depend on. (What of it is not seen here, as numba's own switches are, each kernel's stamp tells.)"""
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
    """The folder of all compiled kernels: beside the code, or in the user's cache where nobody may write there and none lie there
    that fit."""
    if PLACE in os.environ:
        return Path(os.environ[PLACE])
    if _is_noted(SHIPPED) or _may_be_written(SHIPPED):
        return SHIPPED
    which = hashlib.sha256(str(PACKAGE).encode()).hexdigest()[:12]
    return platformdirs.user_cache_path("goshawk") / f"kernels-{which}"


def are_compiled() -> bool:
    """Whether all that the engine needs was compiled here, for this Goshawk, compiler and processor."""
    return _is_noted(place())


def note_compiled() -> None:
    """They are compiled now. Where that cannot be kept, it is looked at anew next time."""
    with suppress(OSError):
        place().mkdir(parents=True, exist_ok=True)
        (place() / NOTE).write_text(_made_for())


def count() -> int:
    """How many kernels are compiled so far."""
    return sum(1 for _ in place().rglob("*.nbi"))
