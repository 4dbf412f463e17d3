"""How numba finds compiled kernels again, and which of them may run.

A kernel is found only if everything it is made of is the same: its own source and every module of Goshawk that it imports (by content,
not by age), the compiler, the libraries whose code it holds, the version of Python (part of the file's name), and the processor it was
compiled for (part of numba's index; ``core/compiled.py`` chooses it). So a wheel can carry kernels. Any that do not fit are compiled again.

numba finds ``KernelLocator`` by its name (``core/compiled.py``)."""

import shutil
from functools import cache
from pathlib import Path
from typing import Any

import llvmlite
import numba
import numpy as np
import rocket_fft
from numba.core.caching import _CacheLocator

from goshawk.kernel_note import hashed, place, sources_of
from goshawk.paths import PACKAGE

STAMP_DIGITS = 16


@cache
def _compiler() -> str:
    """Return what else goes into a kernel: versions of the libraries, and numba's own switches."""
    config: Any = numba.config
    told = (config.OPT, config.BOUNDSCHECK, config.LOOP_VECTORIZE, config.SLP_VECTORIZE)
    versions = (llvmlite.__version__, numba.__version__, np.__version__, rocket_fft.__version__)
    return repr((versions, [str(one) for one in told]))


@cache
def stamp(file: Path) -> str:
    """Return a hash of everything that a file's kernels are made of. ``core/steps.py`` is part of each: programs of steps enter
    kernels by code that is written there."""
    return hashed(sources_of(file) | sources_of(PACKAGE / "core" / "steps.py"), _compiler())


def _folder(file: Path) -> Path:
    return place() / file.relative_to(PACKAGE).with_suffix("") / stamp(file)[:STAMP_DIGITS]


def sweep() -> None:
    """Remove the kernels of sources that have changed since, or are gone: nothing finds them again."""
    for folder in {index.parent for index in place().rglob("*.nbi")}:
        file = PACKAGE / folder.parent.relative_to(place()).with_suffix(".py")
        if not file.is_file() or folder != _folder(file):
            shutil.rmtree(folder, ignore_errors=True)


class KernelLocator(_CacheLocator):
    """Tells numba where a function of Goshawk is kept and what it is made of."""

    def __init__(self, function: Any, file: Path) -> None:
        self._file, self._line = file, function.__code__.co_firstlineno

    @classmethod
    def from_function(cls, py_func: Any, py_file: str) -> "KernelLocator | None":
        """Return None for a function that is not Goshawk's: numba keeps that itself."""
        file = Path(py_file).resolve()
        return cls(py_func, file) if file.is_relative_to(PACKAGE) else None

    def get_cache_path(self) -> str:
        """Return the folder of the file's kernels: one for each of its stamps."""
        return str(_folder(self._file))

    def get_source_stamp(self) -> str:
        """Return what its kernels are made of."""
        return stamp(self._file)

    def get_disambiguator(self) -> str:
        """Tell apart functions of one name in one file."""
        return str(self._line)
