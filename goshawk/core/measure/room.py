"""Learning the room: the mean spectrum of a few quiet seconds, or the sentence why they will not do."""

from dataclasses import dataclass

import numpy as np

from goshawk.core.dsp.suppressor import (
    BINS,
    WINDOW_FRAMES,
    LearnedRoom,
    power_spectrum,
)
from goshawk.core.dsp.suppressor import HOP_FRAMES as STEP_FRAMES
from goshawk.core.measure.levels import HOP_FRAMES, SPEECH
from goshawk.core.measure.speech_activity import NOTHING_LINEAR, SpeechActivity
from goshawk.core.stage import Floats
from goshawk.units import SAMPLE_RATE_HZ, power_to_db

TAKE_S = 3.0
LEAST_S = 0.5
SETTLE_S = 0.3
"""The beginning is left out: the hand that pressed the key is still moving."""

MOST_SPEECH = 0.05
"""So much of the hops may sound like speech: a creak of the chair does."""

LEAST_THERE = 0.5
"""So much of it must be sound; what is missing is left out."""

MOST_SPREAD_DB = 12.0
"""A steady room's 10 ms levels lie within this (95th to 20th percentile; rain on a window: 6 dB)."""


@dataclass(frozen=True)
class RoomTake:
    """How a take of the room stands."""

    progress: float
    room: LearnedRoom | None = None
    refusal: str = ""


class RoomLearner:
    """Hears the sound ahead of the suppressor, mono, until it has enough."""

    def __init__(self, seconds: float = TAKE_S, settle_s: float = SETTLE_S) -> None:
        self._wanted = round((seconds + settle_s) * SAMPLE_RATE_HZ)
        self._settle = round(settle_s * SAMPLE_RATE_HZ)
        self._pieces: list[Floats] = []
        self._heard = 0

    def push(self, sound: Floats) -> RoomTake:
        """Hear more, shape (frames,); the take's outcome as soon as there is enough."""
        self._pieces.append(np.asarray(sound, np.float64))
        self._heard += len(sound)
        if self._heard < self._wanted:
            return RoomTake(self._heard / self._wanted)
        return learn_room(np.concatenate(self._pieces)[self._settle : self._wanted])


def settled(recording: Floats) -> Floats:
    """A quiet recording, shape (frames,), without its beginning, if it is long enough to spare that."""
    settle = round(SETTLE_S * SAMPLE_RATE_HZ)
    return recording[settle:] if len(recording) >= TAKE_S * SAMPLE_RATE_HZ else recording


def learn_room(sound: Floats) -> RoomTake:
    """The room of a quiet recording at 48 kHz, shape (frames,), or a refusal in one sentence."""
    if len(sound) < LEAST_S * SAMPLE_RATE_HZ:
        return RoomTake(
            1.0,
            refusal=f"The quiet recording is shorter than {LEAST_S:g} s. Record the room longer.",
        )
    if not np.isfinite(sound).all():
        return RoomTake(
            1.0, refusal="The quiet recording holds values that are no numbers. Record it again."
        )
    hops = sound[: len(sound) // HOP_FRAMES * HOP_FRAMES].reshape(-1, HOP_FRAMES)
    power = (hops**2).mean(axis=1)
    if power.max() < 1e-12:
        return RoomTake(
            1.0,
            refusal="Nothing came from the microphone, not even noise. Check that it is plugged in and "
            "switched on, then try again.",
        )
    is_there = np.abs(hops).max(axis=1) >= NOTHING_LINEAR
    if is_there.mean() < LEAST_THERE:
        return RoomTake(
            1.0,
            refusal="The microphone gave nothing at all for a good part of it, as if unplugged. Check it, then try "
            "again; the room as it was learned before is kept.",
        )
    listener = SpeechActivity()
    listener.listen(np.ascontiguousarray(sound[:, None], np.float32))
    speech = float((listener.decisions(0, len(hops)) == SPEECH).mean())
    low, high = np.percentile(power_to_db(power[is_there], 1e-12), (20, 95))
    if speech > MOST_SPEECH or high - low > MOST_SPREAD_DB:
        return RoomTake(
            1.0,
            refusal="Something was heard that is not the room: a voice, keys or a knock. Stay quiet and "
            "try again; the room as it was learned before is kept.",
        )
    count = (len(sound) - WINDOW_FRAMES) // STEP_FRAMES + 1
    total, used = np.zeros(BINS), 0
    for hop in range(count):
        start, end = hop * STEP_FRAMES, hop * STEP_FRAMES + WINDOW_FRAMES
        if is_there[start // HOP_FRAMES : -(-end // HOP_FRAMES)].all():
            total += power_spectrum(sound[start:end])
            used += 1
    return RoomTake(1.0, room=LearnedRoom.of_power(total / max(used, 1)))
