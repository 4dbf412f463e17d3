"""The sound at a point as an endless file, for programs that open an address: WAV, FLAC or Ogg Opus.

What they get keeps time with the engine: frames that were lost on the way, or that nobody made while the audio process was
started again, are silence of the same length.
"""

import asyncio
import io
import struct
from collections import deque
from collections.abc import AsyncGenerator
from typing import Any, Literal

import numpy as np
import soundfile

from goshawk.core.stage import Block
from goshawk.units import SAMPLE_RATE_HZ
from goshawk.web.points import Listener, Points

StreamFormat = Literal["wav", "flac", "ogg"]
MEDIA_TYPES: dict[StreamFormat, str] = {
    "wav": "audio/wav",
    "flac": "audio/flac",
    "ogg": "audio/ogg; codecs=opus",
}

LONGEST_WAIT_FRAMES = 3 * SAMPLE_RATE_HZ
"""A program that takes its sound slower than it is made loses what is older; silence keeps its place."""

LONGEST_SILENCE_FRAMES = 10 * SAMPLE_RATE_HZ
"""A longer gap is not filled: the sound goes on after it."""

GATHERED_FRAMES = SAMPLE_RATE_HZ // 50
"""So much is encoded at once."""

_ENDLESS = 0xFFFFFFFF
_FLOAT = 3
_CHANNELS = 2


class StreamListener(Listener):
    """Keeps pieces with the numbers of their frames."""

    def __init__(self) -> None:
        super().__init__()
        self._pieces: deque[tuple[int, Block]] = deque()
        self._waiting = 0
        self._came = asyncio.Event()
        self.lost_frames = 0

    def take(self, at: int, samples: Block) -> None:
        """A piece, shape (frames, 2), whose first frame was there at ``at``."""
        self._pieces.append((at, samples))
        self._waiting += len(samples)
        while self._waiting > LONGEST_WAIT_FRAMES:
            lost = len(self._pieces.popleft()[1])
            self._waiting -= lost
            self.lost_frames += lost
        if self._waiting >= GATHERED_FRAMES:
            self._came.set()

    async def next(self) -> list[tuple[int, Block]]:
        """All that is there, as soon as it is worth encoding."""
        await self._came.wait()
        self._came.clear()
        found = list(self._pieces)
        self._pieces.clear()
        self._waiting = 0
        return found


def in_time(pieces: list[tuple[int, Block]], expected: int | None) -> tuple[Block, int]:
    """Pieces after each other, gaps between them and before the first filled with silence; and the number of the frame that
    follows. ``expected`` is the first one's number; None: it is the beginning."""
    parts: list[Block] = []
    for at, samples in pieces:
        missing = 0 if expected is None else at - expected
        if 0 < missing <= LONGEST_SILENCE_FRAMES:
            parts.append(np.zeros((missing, _CHANNELS), np.float32))
        parts.append(samples)
        expected = at + len(samples)
    whole: Block = np.concatenate(parts) if parts else np.zeros((0, _CHANNELS), np.float32)
    return whole, expected or 0


class _Wav:
    """Float32, which is what the engine makes; the sizes say that it has no end."""

    def head(self) -> bytes:
        frame_bytes = 4 * _CHANNELS
        form = struct.pack(
            "<HHIIHH",
            _FLOAT, _CHANNELS, SAMPLE_RATE_HZ, SAMPLE_RATE_HZ * frame_bytes, frame_bytes, 32,
        )  # fmt: skip
        return (
            b"".join(
                (
                    b"RIFF",
                    struct.pack("<I", _ENDLESS),
                    b"WAVEfmt ",
                    struct.pack("<I", len(form)),
                    form,
                )
            )
            + b"data"
            + struct.pack("<I", _ENDLESS)
        )

    def encode(self, sound: Block) -> bytes:
        return sound.astype("<f4").tobytes()

    def close(self) -> None:
        """Nothing to end."""


class _Growing(io.RawIOBase):
    """A file that is only written on; what libsndfile would go back to mend when it is closed is left as it was."""

    def __init__(self) -> None:
        self._at = self._end = 0
        self._fresh = bytearray()

    def writable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def tell(self) -> int:
        return self._at

    def seek(self, offset: int, whence: int = io.SEEK_SET) -> int:
        base = {io.SEEK_SET: 0, io.SEEK_CUR: self._at, io.SEEK_END: self._end}[whence]
        self._at = base + offset
        return self._at

    def write(self, data: Any) -> int:
        if self._at == self._end:
            self._fresh += data
            self._end += len(data)
        self._at += len(data)
        return len(data)

    def taken(self) -> bytes:
        fresh = bytes(self._fresh)
        self._fresh.clear()
        return fresh


class _Compressed:
    """What libsndfile encodes: FLAC with 24 bits, or Opus."""

    def __init__(self, container: str, subtype: str) -> None:
        self._file = _Growing()
        self._encoder = soundfile.SoundFile(
            self._file, "w", SAMPLE_RATE_HZ, _CHANNELS, subtype, format=container
        )

    def head(self) -> bytes:
        return self._file.taken()

    def encode(self, sound: Block) -> bytes:
        self._encoder.write(np.clip(sound, -1.0, 1.0))
        return self._file.taken()

    def close(self) -> None:
        self._encoder.close()


def _encoder(kind: StreamFormat) -> _Wav | _Compressed:
    match kind:
        case "wav":
            return _Wav()
        case "flac":
            return _Compressed("FLAC", "PCM_24")
        case "ogg":
            return _Compressed("OGG", "OPUS")


async def stream(
    points: Points, point: str, kind: StreamFormat, end: asyncio.Event
) -> AsyncGenerator[bytes, None]:
    """The sound at a point, encoded, until ``end`` is set or who hears is gone."""
    listener = StreamListener()
    encoder = await asyncio.to_thread(_encoder, kind)
    points.listen(listener, point)
    ending = asyncio.create_task(end.wait())
    try:
        yield encoder.head()
        expected: int | None = None
        while not end.is_set():
            coming = asyncio.create_task(listener.next())
            try:
                done, _ = await asyncio.wait({coming, ending}, return_when=asyncio.FIRST_COMPLETED)
            finally:
                coming.cancel()  # Who hears may have gone meanwhile; a task that is done does not mind.
            if coming not in done:
                return
            sound, expected = in_time(coming.result(), expected)
            encoded = await asyncio.to_thread(encoder.encode, sound)
            if encoded:
                yield encoded
    finally:
        ending.cancel()
        points.listen(listener, None)
        await asyncio.to_thread(encoder.close)
