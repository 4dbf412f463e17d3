"""The last half minute of every input, kept so that another balance can be tried on it."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from goshawk.core.graph.playback import Replayed
from goshawk.core.measure.levels import MOMENT_FRAMES, TAIL
from goshawk.core.measure.sound_keeper import SoundKeeper
from goshawk.core.mix import HeardInputs
from goshawk.core.stage import Block
from goshawk.units import SAMPLE_RATE_HZ

KEPT_S = 30.0
KEPT_MOMENTS = round(KEPT_S * 100)
_LONGEST_S = KEPT_S + 1.0
"""So much more as lies between the microphone and the last moment."""


_MOST_MISSING = 2 * SAMPLE_RATE_HZ


class RowKeeper:
    """Fed with what the engine says. What belongs to other inputs, or another delay, is forgotten."""

    def __init__(self) -> None:
        self._kind: Any = None
        self.forget()

    def forget(self) -> None:
        """Begin anew."""
        self._rows: dict[str, SoundKeeper] = {}
        self._key, self._raw = SoundKeeper(_LONGEST_S), SoundKeeper(_LONGEST_S)
        self._activity: NDArray[np.int8] = np.zeros(0, np.int8)
        self._end_moment = self._end_frame = self._late = self._ahead = 0
        self._since_gap = 0
        self._delays: dict[str, int] = {}

    def push(self, rows: dict[str, Any], readings: dict[str, Any], kind: Any) -> None:
        """Take the inputs' sound and the readings that came with it; ``kind`` is what the sound depends on: with
        another one the kept is forgotten. A gap (the web was slow) is silence that counts as neither speech nor
        pause."""
        key, late, ahead = rows["key"], rows["latency_frames"], rows["key_ahead_frames"]
        whole = (kind, rows["delay_frames"], late, ahead)
        missing = rows["end_frame"] - len(key) - self._end_frame
        missed = readings["first_moment"] - self._end_moment
        if whole != self._kind or not (0 <= missing <= _MOST_MISSING and missed >= 0):
            self._kind = whole
            self.forget()
        elif missing:
            silence = np.zeros((missing, 2), np.float32)
            for row in (*self._rows.values(), self._raw):
                row.push(silence)
            self._key.push(silence[:, :1])
            self._activity = np.concatenate([self._activity, np.full(missed, TAIL, np.int8)])
            self._since_gap = 0
        for name, row in rows["rows"].items():
            self._rows.setdefault(name, SoundKeeper(_LONGEST_S)).push(row)
        self._since_gap += len(key)
        self._key.push(key)
        self._raw.push(readings["raw"])
        self._activity = np.concatenate([self._activity, readings["activity"]])[-KEPT_MOMENTS:]
        self._end_moment, self._end_frame = rows["end_moment"], rows["end_frame"]
        self._late, self._ahead, self._delays = late, ahead, rows["delay_frames"]

    def heard(self, seconds: float = KEPT_S) -> HeardInputs | None:
        """The newest seconds, in whole moments; None while there are none."""
        # A voice that waits arrives after its speech was told.
        end = min(self._end_moment, (self._end_frame - self._late) // MOMENT_FRAMES)
        activity = self._activity[: len(self._activity) - (self._end_moment - end)]
        beyond = self._end_frame - (end * MOMENT_FRAMES + self._late)
        there = self._key.frames - beyond - self._ahead
        moments = min(len(activity), round(seconds * 100), there // MOMENT_FRAMES)
        if moments <= 0:
            return None
        frames = moments * MOMENT_FRAMES

        def cut(kept: SoundKeeper, earlier: int) -> Block:
            newest = kept.newest(frames + beyond + earlier)
            return newest[:frames]

        return HeardInputs(
            {name: cut(row, 0) for name, row in self._rows.items()},
            cut(self._key, self._ahead),
            activity[len(activity) - moments :],
        )

    def recorded(self, seconds: float, chained: str) -> Replayed | None:
        """The newest seconds of every input as it came, together: both channels of the voice's device, the others
        ahead of their strips; by the input's id. None while there are none. Nothing from before a gap: played as the
        microphone, its silence would pass for the room."""
        there = min(self._raw.frames, self._since_gap)
        longest = max(self._delays.values(), default=0)
        # The rows come later than the device's sound by what the chains take, and by each input's own delay, which the
        # graph will add again.
        after = self._late - self._delays.get(chained, 0) + longest
        frames = min(round(seconds * SAMPLE_RATE_HZ), there - after)
        if frames <= 0 or not self._rows:
            return None
        sounds = {
            name: row.newest(frames + longest - self._delays.get(name, 0))[:frames]
            for name, row in self._rows.items()
            if name != chained
        }
        raw = self._raw.newest(frames + after)[:frames]
        return {**sounds, **({chained: raw} if chained in self._rows else {})}
