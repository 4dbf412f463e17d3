"""Steps: kernels bound to the arrays they work on, and programs that run many of them in one compiled call.

From Python each call of a kernel costs some microseconds, most of them for its arguments, and a block of the whole
graph needs some 250 kernels. So the arguments of each are written down once, as the compiled code expects them; a
program is a list of addresses of code and arguments, and one call runs it. Everything that changes from block to block
therefore lies in arrays, and these are never replaced while their step is in use.
"""

from collections.abc import Callable, Iterable
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

import goshawk
from goshawk.core.compiled import kernel, packed_words

Block = NDArray[np.float32]
Samples = NDArray[np.float32]
Integers = NDArray[np.int64]

_KINDS = {"float64": "d", "float32": "f", "int64": "q", "int8": "b"}

if goshawk.runs_kernels:
    from goshawk.core.compiled import (
        c_entry,
        call_at,
        cycles,
        tuple_of,
        unpacked_from,
    )

    _ONE_BLOCK = tuple_of(["f2"])

    def callback(*kinds: str) -> Any:
        """Compiles a function that a C library calls: of three words, the last the address of what ``packed_words`` has written;
        it is given ``unpacked(at)`` and the other two. Returns a decorator."""
        wanted = tuple_of(kinds)

        @kernel
        def unpacked(at: int) -> Any:
            return unpacked_from(at, wanted)

        def decorate(function: Any) -> Any:
            inside = {
                "body": kernel(function),
                "unpacked": unpacked,
                "__name__": function.__module__,
            }
            source = f"def {function.__name__}(first, second, at):\n    body(first, second, *unpacked(at))\n"
            exec(compile(source, function.__code__.co_filename, "exec"), inside)
            return c_entry(inside[function.__name__])

        return decorate

    @kernel
    def block_in(words: Integers, address: int, frames: int, channels: int) -> Any:
        """A block of float32 at an address that a C library gave, of shape (frames, channels); ``words`` of nine is where it
        is written down."""
        words[0], words[1] = 0, 0
        words[2], words[3], words[4] = frames * channels, 4, address
        words[5], words[6], words[7], words[8] = frames, channels, 4 * channels, 4
        return unpacked_from(words.ctypes.data, _ONE_BLOCK)[0]

    @kernel
    def _block_at(at: int, frames: int) -> Any:
        return unpacked_from(at, _ONE_BLOCK)[0][:frames]

    @kernel
    def _run(
        frames: int, codes: Integers, places: Integers, blocks: Integers, spent: Integers
    ) -> None:
        before = cycles()
        for i in range(codes.shape[0]):
            call_at(codes[i], places[i], blocks[i], frames)
            now = cycles()
            spent[i] += now - before
            before = now

    _ENTRY_SOURCE = """
def {name}(at, block_at, frames):
    kernel(first(block_at, frames), *unpacked(at, kinds))
"""

    @cache
    def _entry(kernel: Any, kinds: tuple[str, ...]) -> Any:
        """Compiled code that takes the addresses of arguments and block, and a count of frames, and calls the kernel.
        It counts as part of the kernel's file, so that it is compiled anew when that changes."""
        function = kernel.py_func
        name = f"enter_{function.__name__.strip('_')}_{'_'.join(kinds)}"
        inside = {
            "kernel": kernel,
            "first": _block_at,
            "unpacked": unpacked_from,
            "kinds": tuple_of(kinds),
            "__name__": function.__module__,
        }
        source = _ENTRY_SOURCE.format(name=name)
        exec(compile(source, function.__code__.co_filename, "exec"), inside)
        return c_entry(inside[name])


def _written_kind(value: Any) -> str:
    if not isinstance(value, np.ndarray):
        return "d0"
    kind = _KINDS.get(value.dtype.name)
    if kind is None or not value.flags.c_contiguous:
        raise TypeError(f"a step works on arrays of {', '.join(_KINDS)} that lie in one piece")
    return f"{kind}{value.ndim}"


def _address(words: Integers) -> int:
    return int(words.__array_interface__["data"][0])


class Step:
    """A kernel that takes a block of shape (frames, channels), with all else that it works on: C-contiguous arrays, and
    numbers that stay. ``block`` is the one it changes; None: the one that the program is for."""

    def __init__(self, kernel: Callable[..., Any], *args: Any, block: Block | None = None) -> None:
        """Raises TypeError for an array that does not lie in one piece."""
        self.kernel, self.args, self.block = kernel, args, block
        self._kinds = tuple(_written_kind(value) for value in args)
        self._packed = np.array(packed_words(args), np.int64)
        self.at = _address(self._packed)

    @property
    def code(self) -> int:
        """The address of its compiled code."""
        return int(_entry(self.kernel, self._kinds).address)

    def load(self) -> None:
        """Have its code compiled, or taken from the cache, now rather than when a program first runs it."""
        _ = self.code

    def on(self, block: Block | None) -> "Step":
        """The same on a block of its own; None: on the one that the program is for."""
        return self if block is None else Step(self.kernel, *self.args, block=block)

    def run(self, block: Block) -> None:
        """By itself, from Python."""
        self.kernel(block if self.block is None else self.block[: len(block)], *self.args)


class PackedBlock:
    """A block as compiled code sees it."""

    def __init__(self, block: Block) -> None:
        self._words = np.zeros(9, np.int64)
        self.at = _address(self._words)
        self.point_at(block)

    def point_at(self, block: Block) -> None:
        """Another block from now on, of shape (frames, channels). Raises TypeError for any but float32 in one piece."""
        if _written_kind(block) != "f2":
            raise TypeError(f"a block is float32 of shape (frames, channels), not {block.shape}")
        self.block = block
        self._words[:] = packed_words([block])


class StepProgram:
    """Steps in order, run by one call. ``group`` says what the time of those that follow counts for."""

    def __init__(self, before: "StepProgram | None" = None) -> None:
        """``before``: the one in whose place this comes, for the same blocks."""
        self._known = before.packed if before else {}
        self.packed: dict[int, PackedBlock] = {}
        self.group = ""
        self._steps: list[Step] = []
        self._blocks: list[int] = []
        self._groups: list[str] = []
        self._tables: tuple[Integers, ...] = ()

    def add(self, block: Block | PackedBlock, *steps: Step) -> None:
        """Run ``steps`` on ``block``, as far as they do not have a block of their own."""
        for step in steps:
            self._steps.append(step)
            self._blocks.append(self._place_of(block if step.block is None else step.block))
            self._groups.append(self.group)

    def _place_of(self, block: Block | PackedBlock) -> int:
        key = id(block)
        if key not in self.packed:
            if isinstance(block, PackedBlock):
                self.packed[key] = block
            else:
                known = self._known.get(key)
                is_same = known is not None and known.block is block
                self.packed[key] = known if known and is_same else PackedBlock(block)
        return self.packed[key].at

    def finish(self) -> "StepProgram":
        """All steps are there."""
        self._known = {}
        self._group_names = list(dict.fromkeys(self._groups))
        self._group_places = np.array(
            [self._group_names.index(name) for name in self._groups], np.int64
        )
        self._tables = (
            np.array([step.code for step in self._steps], np.int64),
            np.array([step.at for step in self._steps], np.int64),
            np.array(self._blocks, np.int64),
            np.zeros(len(self._steps), np.int64),
        )
        return self

    def run(self, frames: int) -> None:
        """All steps, on the first ``frames`` of their blocks."""
        _run(frames, *self._tables)

    def take_cycles(self) -> dict[str, int]:
        """What each group has cost since the last call, in cycles of the processor's counter."""
        spent = self._tables[3]
        counts = np.bincount(self._group_places, spent, len(self._group_names))
        spent.fill(0)
        return {
            name: round(count)
            for name, count in zip(self._group_names, counts.tolist(), strict=True)
        }


@kernel
def _copy(block: Block, out: Block) -> None:
    if block.shape[1] == out.shape[1]:
        samples, copies = block.reshape(-1), out.reshape(-1)
        for i in range(samples.shape[0]):
            copies[i] = samples[i]
        return
    last = block.shape[1] - 1
    for n in range(block.shape[0]):
        for c in range(out.shape[1]):
            out[n, c] = block[n, min(c, last)]


def copying(out: Block) -> Step:
    """Copies the block into ``out``, of one channel or two; a second that the block does not have is its first."""
    return Step(_copy, out)


def run_all(steps: Iterable[Step], block: Block) -> None:
    """Steps one by one, from Python."""
    for step in steps:
        step.run(block)
