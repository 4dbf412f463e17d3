"""Compiled kernels. A process that runs none (the web process) says so before it imports anything of the core
(``goshawk.runs_kernels``), and is spared the compiler: its kernels are plain functions."""

import sys
from typing import Any

import numpy as np

import goshawk

if goshawk.runs_kernels:
    from llvmlite import ir
    from numba import njit, types
    from numba.extending import intrinsic

    def _load_the_rest() -> None:
        """What numba loads by itself, but later: NumPy's Fourier transforms for kernels (``rocket_fft``), and its own arithmetic of
        arrays. Both look for SciPy, of which no kernel makes use: it is hidden from them, and would take more than a third of a second of
        each start."""
        unused = ("scipy.fft", "scipy.linalg.cython_blas")
        hidden = [name for name in unused if name not in sys.modules]
        for name in hidden:
            sys.modules[name] = None  # type: ignore[assignment]
        try:
            import numba.np.arraymath  # noqa: F401
            import rocket_fft  # noqa: F401
        finally:
            for name in hidden:
                del sys.modules[name]

    _load_the_rest()

    kernel = njit(cache=True, nogil=True, error_model="numpy")
    """Compiles a kernel. Division by zero gives infinity as in NumPy, which saves a test per division. Fast-math
    stays off: it lets the compiler assume that NaN cannot occur."""

    summing = njit(cache=True, nogil=True, error_model="numpy", fastmath={"reassoc", "contract"})
    """Compiles a kernel whose sums may be taken in any order, so that they run in vector instructions; always the same
    one for the same compiled code."""

    inlined = njit(cache=True, nogil=True, error_model="numpy", inline="always")
    """Compiles a small function into every kernel that calls it, so that a loop around it can run in vector
    instructions."""

    def _as_bits(context: Any, x: Any) -> Any:
        def build(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
            return builder.bitcast(arguments[0], ir.IntType(64))

        return types.int64(types.float64), build

    def _from_bits(context: Any, bits: Any) -> Any:
        def build(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
            return builder.bitcast(arguments[0], ir.DoubleType())

        return types.float64(types.int64), build

    bits_of: Any = intrinsic(_as_bits)
    """The bits of a float64 as an int64."""

    of_bits: Any = intrinsic(_from_bits)
    """The float64 of the bits in an int64."""
else:

    def _as_it_is(function: Any) -> Any:
        return function

    kernel = inlined = summing = _as_it_is

    def bits_of(x: Any) -> Any:
        return np.float64(x).view(np.int64)

    def of_bits(bits: Any) -> Any:
        return np.int64(bits).view(np.float64)
