"""One second of an evening, and how many of them are kept: as whole numbers of two bytes, in columns that are named."""

import itertools
import zlib

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from goshawk.core.stage import Floats

STEP = 0.01
NOTHING = -32768
LONGEST_EVENING_S = 24 * 3600
MINUTE_S = 60

Numbers = NDArray[np.int16]

VOICE_PEAKS, LOUDNESS, WORDS, SPEECH = "voice_peaks", "loudness", "words", "speech"
VIEWERS, CALL, RECORDING, LOST = "viewers", "call", "recording", "lost"
FIXED = (VOICE_PEAKS, LOUDNESS, WORDS, SPEECH, VIEWERS, CALL, RECORDING, LOST)
"""Voice peaks in dBFS and loudness in LUFS over ten and three seconds, intelligibility (0 to 1), seconds of speech; whether viewers and
the call heard the voice (1), would have (0.5) or could not (0); whether it was recorded; seconds that were lost."""


def over(input_id: str) -> str:
    """The column of the clearance over an input, in dB."""
    return f"over:{input_id}"


class Second(BaseModel):
    """``number`` counts from the evening's beginning; what cannot be told is not there."""

    number: int
    values: dict[str, float]


class Lanes(BaseModel):
    """An evening, or a part of it, in as many points as are drawn: of each the mean, and the lowest and highest within; None
    where there is nothing."""

    from_s: float
    to_s: float
    means: dict[str, list[float | None]]
    lows: dict[str, list[float | None]]
    highs: dict[str, list[float | None]]


class BroadcastHistory:
    """All seconds of an evening. It grows to LONGEST_EVENING_S and no further."""

    def __init__(self) -> None:
        self._columns: list[str] = []
        self._rows: Numbers = np.zeros((0, 0), np.int16)
        self.seconds = 0

    @property
    def columns(self) -> list[str]:
        """What there is."""
        return self._columns

    def put(self, second: Second) -> None:
        """Keep a second; what lies between it and the last one stays empty."""
        if not 0 <= second.number < LONGEST_EVENING_S:
            return
        self._make_room(second.number + 1, list(second.values))
        self.seconds = max(self.seconds, second.number + 1)
        for name, value in second.values.items():
            held = max(-327.0, min(327.0, value))
            self._rows[second.number, self._columns.index(name)] = round(held / STEP)

    def _make_room(self, rows: int, names: list[str]) -> None:
        new = [name for name in names if name not in self._columns]
        if new:
            self._columns = [*self._columns, *new]
            more = np.full((len(self._rows), len(new)), NOTHING, np.int16)
            self._rows = np.concatenate([self._rows, more], axis=1)
        if rows > len(self._rows):
            room = max(rows, min(LONGEST_EVENING_S, 2 * len(self._rows)))
            more = np.full((room - len(self._rows), len(self._columns)), NOTHING, np.int16)
            self._rows = np.concatenate([self._rows, more])

    def packed_minute(self, minute: int) -> bytes:
        """A minute as it is kept: the columns' names, a nought, then the numbers, compressed."""
        rows = self._rows[minute * MINUTE_S : min(self.seconds, (minute + 1) * MINUTE_S)]
        # What follows one another differs little: differences down a column pack to a third.
        names = ",".join(self._columns).encode()
        return zlib.compress(names + b"\0" + np.ascontiguousarray(rows.T).astype("<i2").tobytes())

    def unpack_minute(self, minute: int, packed: bytes) -> None:
        """Take a minute back. Raises ValueError of what is none."""
        try:
            names, _, numbers = zlib.decompress(packed).partition(b"\0")
        except zlib.error as error:
            raise ValueError("a minute of an evening is damaged") from error
        columns = names.decode().split(",")
        rows = np.frombuffer(numbers, "<i2").reshape(len(columns), -1).T
        first = minute * MINUTE_S
        self._make_room(first + len(rows), columns)
        places = [self._columns.index(name) for name in columns]
        self._rows[first : first + len(rows), places] = rows
        self.seconds = max(self.seconds, first + len(rows))

    def column(self, name: str, first: int = 0, end: int | None = None) -> Floats:
        """One column; NaN where there is nothing."""
        end = self.seconds if end is None else min(end, self.seconds)
        if name not in self._columns or end <= first:
            return np.full(max(0, end - first), np.nan)
        found = self._rows[first:end, self._columns.index(name)].astype(np.float64)
        found[found == NOTHING] = np.nan
        return found * STEP

    def lanes(self, first: int, end: int, points: int) -> Lanes:
        """The seconds from ``first`` to ``end``, drawn with so many points at most."""
        count = max(1, min(points, end - first))
        edges = np.linspace(first, end, count + 1).round().astype(int)
        means: dict[str, list[float | None]] = {}
        lows: dict[str, list[float | None]] = {}
        highs: dict[str, list[float | None]] = {}
        for name in self._columns:
            values = np.full(end - first, np.nan)
            there = self.column(name, first, end)
            values[: len(there)] = there
            parts = [values[a - first : b - first] for a, b in itertools.pairwise(edges)]
            kept = [part[~np.isnan(part)] for part in parts]
            means[name] = [round(float(one.mean()), 2) if len(one) else None for one in kept]
            lows[name] = [round(float(one.min()), 2) if len(one) else None for one in kept]
            highs[name] = [round(float(one.max()), 2) if len(one) else None for one in kept]
        return Lanes(from_s=first, to_s=end, means=means, lows=lows, highs=highs)
