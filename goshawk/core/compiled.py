"""Compiled kernels, and the only module that knows the compiler (numba, and llvmlite under it). A process that runs none (the web
process) says so before it imports anything of the core (``goshawk.runs_kernels``), and is spared it: its kernels are plain functions.

Programs of steps and callbacks of C libraries rest on what numba does not promise: how it lays out arrays, tuples and numbers
(``packed_words``), and how code is generated for an intrinsic. So another version than the ones it was made for is refused at the start
(``system/libraries.py``), and ``tests/test_architecture.py`` checks what is relied on."""

import sys
from collections.abc import Iterable
from typing import Any

import numpy as np

import goshawk

if goshawk.runs_kernels:
    import llvmlite.binding
    from llvmlite import ir
    from numba import cfunc, njit, types
    from numba import config as _config
    from numba.core import cgutils
    from numba.extending import intrinsic

    PROCESSOR = "x86-64-v3"
    """Level 3 of the x86-64 psABI (AVX2, FMA, BMI2). If the processor supports it, kernels are compiled for it, so that they run on other
    computers too. Otherwise they are compiled for the processor that is there."""

    _LEVEL_3 = ("avx", "avx2", "bmi", "bmi2", "f16c", "fma", "lzcnt", "movbe", "sse4.2")
    """The features of level 3, by LLVM's names."""

    def _set_up_the_compiler() -> None:
        config: Any = _config
        features = llvmlite.binding.get_host_cpu_features()
        if all(features.get(one) for one in _LEVEL_3) and config.CPU_NAME is None:
            config.CPU_NAME, config.CPU_FEATURES = PROCESSOR, ""
        # Goshawk's kernels are kept by its own locator, all others by numba's.
        config.CACHE_LOCATOR_CLASSES = ",".join(
            (
                "goshawk.kernel_cache.KernelLocator",
                "UserProvidedCacheLocator",
                "InTreeCacheLocator",
                "UserWideCacheLocator",
            )
        )

    _set_up_the_compiler()

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

    # --- code and arguments by their addresses ------------------------------------------------------

    _NUMBERS = {
        "d": types.float64, "f": types.float32, "q": types.int64, "b": types.int8
    }  # fmt: skip
    _WORD = ir.IntType(64)
    _typed_intrinsic: Any = intrinsic

    def _kind(written: str) -> Any:
        """``d2``: an array of float64 of two dimensions; ``d0``: a number."""
        number, dimensions = _NUMBERS[written[0]], int(written[1])
        return types.Array(number, dimensions, "C") if dimensions else number

    def tuple_of(kinds: Iterable[str]) -> Any:
        """The type of a tuple of arrays and numbers, each as written by ``d2`` (two dimensions of float64) or ``d0`` (a number)."""
        make: Any = types.Tuple
        return make([_kind(one) for one in kinds])

    @_typed_intrinsic
    def unpacked_from(context: Any, at: Any, kinds: Any) -> Any:
        """The arguments that lie at an address, as ``packed_words`` has written them."""
        wanted = kinds.instance_type

        def build(context: Any, builder: Any, signature: Any, given: Any) -> Any:
            values, offset = [], 0
            for kind in wanted.types:
                inside = context.get_value_type(kind)
                place = builder.add(given[0], ir.Constant(_WORD, offset))
                values.append(builder.load(builder.inttoptr(place, inside.as_pointer())))
                offset += context.get_abi_sizeof(inside)
            return context.make_tuple(builder, wanted, values)

        return wanted(types.int64, kinds), build

    @_typed_intrinsic
    def call_at(context: Any, code: Any, at: Any, block_at: Any, frames: Any) -> Any:
        """Call the function at an address with three words."""

        def build(context: Any, builder: Any, signature: Any, given: Any) -> Any:
            kind = ir.FunctionType(ir.VoidType(), [_WORD] * 3)
            builder.call(builder.inttoptr(given[0], kind.as_pointer()), given[1:])
            return context.get_dummy_value()

        return types.void(*[types.int64] * 4), build

    @_typed_intrinsic
    def cycles(context: Any) -> Any:
        """The processor's count of its cycles; how long one takes is found by measuring."""

        def build(context: Any, builder: Any, signature: Any, given: Any) -> Any:
            kind = ir.FunctionType(_WORD, [])
            find: Any = cgutils.get_or_insert_function
            return builder.call(find(builder.module, kind, "llvm.readcyclecounter"), [])

        return types.int64(), build

    c_entry: Any = cfunc(
        types.void(types.int64, types.int64, types.int64), cache=True, error_model="numpy"
    )
    """Compiles a function of three words that C code, or ``call_at``, calls by its address."""

    WORD: Any = types.int64
    INT: Any = types.int32

    def c_function(name: str, result: Any, *arguments: Any) -> Any:
        """A function of a loaded C library, for kernels."""
        return types.ExternalFunction(name, result(*arguments))

    def load_c_library(name: str) -> None:
        """Load a C library for ``c_function``. Raises RuntimeError where there is none."""
        llvmlite.binding.load_library_permanently(name)
else:

    def _as_it_is(function: Any) -> Any:
        return function

    kernel = inlined = summing = _as_it_is

    def bits_of(x: Any) -> Any:
        return np.float64(x).view(np.int64)

    def of_bits(bits: Any) -> Any:
        return np.int64(bits).view(np.float64)


def packed_words(values: Iterable[Any]) -> list[int]:
    """Arrays and numbers as compiled code holds them (numba's data model: an array is owner and parent, which are left out, count of
    items, their size, address, shape, strides)."""
    words: list[int] = []
    for value in values:
        if isinstance(value, np.ndarray):
            address = value.__array_interface__["data"][0]
            words += [0, 0, value.size, value.itemsize, address, *value.shape, *value.strides]
        else:
            words.append(int(np.float64(value).view(np.int64)))
    return words
