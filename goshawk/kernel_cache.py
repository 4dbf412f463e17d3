"""How numba finds compiled kernels again, and which of them may be run.

One is found only where everything that it is made of is the same: its own source and that of all of Goshawk that it imports
(by their contents, not their age), the compiler and the libraries whose code it holds, the version of Python (numba puts that into the
file's name), and the processor that it was compiled for (numba puts that into the index; ``core/compiled.py`` says for which). So a wheel
can carry them, and whatever does not fit is compiled anew.

numba finds ``KernelLocator`` by its name (``core/compiled.py``)."""

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


@cache
def _compiler() -> str:
    """What else goes into a kernel: versions of the libraries, and how numba is told to compile."""
    config: Any = numba.config
    told = (config.OPT, config.BOUNDSCHECK, config.LOOP_VECTORIZE, config.SLP_VECTORIZE)
    versions = (llvmlite.__version__, numba.__version__, np.__version__, rocket_fft.__version__)
    return repr((versions, [str(one) for one in told]))


@cache
def stamp(file: Path) -> str:
    """What a file's kernels are made of; another stamp, other kernels. What enters a kernel from a program of steps is in
    ``core/steps.py``, and counts to each."""
    return hashed(sources_of(file) | sources_of(PACKAGE / "core" / "steps.py"), _compiler())


class KernelLocator(_CacheLocator):
    """Says to numba where a function of Goshawk is kept and what it is made of."""

    def __init__(self, function: Any, file: Path) -> None:
        self._file, self._line = file, function.__code__.co_firstlineno

    @classmethod
    def from_function(cls, py_func: Any, py_file: str) -> "KernelLocator | None":
        """None for what is not Goshawk's: that is numba's to keep."""
        file = Path(py_file)
        return cls(py_func, file) if file.is_relative_to(PACKAGE) else None

    def get_cache_path(self) -> str:
        """Its folder."""
        return str(place() / self._file.parent.relative_to(PACKAGE))

    def get_source_stamp(self) -> str:
        """See ``stamp``."""
        return stamp(self._file)

    def get_disambiguator(self) -> str:
        """Tells apart what has the same name in one file."""
        return str(self._line)
