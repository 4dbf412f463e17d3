"""What libpulse calls when a stream wants frames, or has some: compiled, so that neither Python nor anything else is waited
for. Each copies between the server's memory and a ring, and nothing more.
"""

import numpy as np

from goshawk.core.compiled import INT, WORD, c_function, load_c_library
from goshawk.core.dsp.frame_ring import DROPOUTS, Ring, give, take
from goshawk.core.stage import Block
from goshawk.core.steps import Integers, Step, block_in, callback

LIBRARY = "libpulse.so.0"

DATA, BYTES, SECONDS, NANOSECONDS, CHANNELS, FIELDS = range(6)
"""What a callback writes down: address and bytes that the library gives, the time in two parts; and the stream's channels."""

_SAMPLE_BYTES = 4
_MONOTONIC = 1

load_c_library(LIBRARY)
_begin_write = c_function("pa_stream_begin_write", INT, WORD, WORD, WORD)
_write = c_function("pa_stream_write", INT, WORD, WORD, WORD, WORD, WORD, INT)
_peek = c_function("pa_stream_peek", INT, WORD, WORD, WORD)
_drop = c_function("pa_stream_drop", INT, WORD)
_clock_gettime = c_function("clock_gettime", INT, INT, WORD)


@callback("q1", "q1", "f2", "q1")
def wants_frames(
    stream: int, wanted: int, work: Integers, words: Integers, ring: Block, numbers: Integers
) -> None:
    """The server wants so many bytes."""
    at, channels = work.ctypes.data, work[CHANNELS]
    _clock_gettime(_MONOTONIC, at + 8 * SECONDS)
    now_ns = work[SECONDS] * 1_000_000_000 + work[NANOSECONDS]
    frame_bytes = _SAMPLE_BYTES * channels
    left = wanted - wanted % frame_bytes
    while left > 0:
        work[BYTES] = left
        if _begin_write(stream, at + 8 * DATA, at + 8 * BYTES) != 0 or work[DATA] == 0:
            return
        frames = min(left, work[BYTES]) // frame_bytes
        if frames == 0:
            return
        take(ring, numbers, block_in(words, work[DATA], frames, channels), now_ns)
        _write(stream, work[DATA], frames * frame_bytes, 0, 0, 0)
        left -= frames * frame_bytes


@callback("q1", "q1", "f2", "q1")
def has_frames(
    stream: int, there: int, work: Integers, words: Integers, ring: Block, numbers: Integers
) -> None:
    """The server has captured something. A hole, which the server says so, is silence of the same length, and counted."""
    at, channels = work.ctypes.data, work[CHANNELS]
    _clock_gettime(_MONOTONIC, at + 8 * SECONDS)
    now_ns = work[SECONDS] * 1_000_000_000 + work[NANOSECONDS]
    while _peek(stream, at + 8 * DATA, at + 8 * BYTES) == 0 and work[BYTES] > 0:
        frames = work[BYTES] // (_SAMPLE_BYTES * channels)
        if work[DATA] != 0:
            give(ring, numbers, block_in(words, work[DATA], frames, channels), now_ns)
        else:
            numbers[DROPOUTS] += 1
            give(ring, numbers, np.zeros((frames, channels), np.float32), now_ns)
        if _drop(stream) != 0:
            return


class Work:
    """What a stream's callback works on; it has to be kept for as long as the stream is."""

    def __init__(self, ring: Ring, channels: int) -> None:
        work, words = np.zeros(FIELDS, np.int64), np.zeros(9, np.int64)
        work[CHANNELS] = channels
        self._packed = Step(give, work, words, ring.sound, ring.numbers)
        self.at = self._packed.at
