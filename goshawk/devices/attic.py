"""The attic: a room with a storyteller, and the two-channel interface that its microphone is on.

Left channel: the microphone. Signal flow: performance + room → preamp (its own noise, then its
gain) → converter, which clips at 0 dBFS as real ones do and has a noise of its own. Right channel:
nothing plugged in, so only the noises of preamp and converter.
"""

from typing import Any

import numpy as np

from goshawk.core.dsp.delay import CROSSFADE_MS
from goshawk.core.rig import Performance
from goshawk.core.stage import Block, Floats, Glide, glide, kernel
from goshawk.devices.sounds import load_sound
from goshawk.units import SAMPLE_RATE_HZ, db_to_linear, ms_to_frames

# What a recording's level is at the preamp's input, in dB: a usual voice reaches the converter
# with peaks near -17 dBFS at 36 dB of gain, as with a dynamic microphone at a hand's width.
_RECORDINGS: dict[Performance, tuple[str, float]] = {
    "talk": ("voice_talk", -44.0),
    "murmur": ("voice_murmur", -56.0),
    "laugh": ("voice_laugh", -38.0),
    "type": ("keyboard", -61.0),
}
_ROOM_DB = -70.0
_PREAMP_NOISE_DBFS = -124.0
"""RMS at the preamp's input: heard only at high gain, under the room's noise, as in usual interfaces."""
_CONVERTER_NOISE_DBFS = -104.0


@kernel
def _hear(
    out: Block,
    new: Block,
    old: Block,
    room: Block,
    noise: Block,
    places: Floats,
    fade_frames: float,
    converter: float,
    preamp: float,
    now: Floats,
    between: Floats,
    target: Floats,
    a: float,
) -> None:
    """Places: of the new and old performance, room, noise, and frames of the fade left."""
    for n in range(out.shape[0]):
        glide(now, between, target, a)
        weight = 1.0 - places[4] / fade_frames
        voice = new[int(places[0]), 0] * weight
        if places[4] > 0.0:
            voice += old[int(places[1]), 0] * (1.0 - weight)
            places[4] -= 1.0
        left = voice + room[int(places[2]), 0] + preamp * noise[int(places[3]), 0]
        right = preamp * noise[int(places[3]), 1]
        left = left * now[0] + converter * noise[int(places[3]), 2]
        right = right * now[0] + converter * noise[int(places[3]), 3]
        out[n, 0] = np.float32(min(1.0, max(-1.0, left)))
        out[n, 1] = np.float32(min(1.0, max(-1.0, right)))
        places[0] = places[0] + 1.0 if places[0] + 1.0 < new.shape[0] else 0.0
        places[1] = places[1] + 1.0 if places[1] + 1.0 < old.shape[0] else 0.0
        places[2] = places[2] + 1.0 if places[2] + 1.0 < room.shape[0] else 0.0
        places[3] = places[3] + 1.0 if places[3] + 1.0 < noise.shape[0] else 0.0


class Attic:
    """The stand-in microphone: ask it to be silent, murmur, talk, laugh out loud or type."""

    channels = 2

    def __init__(self) -> None:
        self._sounds: dict[Performance, Block] = {
            name: load_sound(file) * np.float32(db_to_linear(level))
            for name, (file, level) in _RECORDINGS.items()
        }
        self._sounds["silent"] = np.zeros((1, 1), np.float32)
        self._room = load_sound("room") * np.float32(db_to_linear(_ROOM_DB))
        random = np.random.default_rng(5)
        # 7 s and a little, so that it does not repeat in step with the room.
        shape = (int(7.3 * SAMPLE_RATE_HZ), 4)
        self._noise = random.standard_normal(shape, np.float32)
        self._performance: Performance = "silent"
        self._before: Performance = "silent"
        self._places = np.zeros(5)
        self._gain = Glide(1)
        self.set_preamp_gain_db(0.0)

    def perform(self, performance: Performance) -> None:
        """Change what is heard, with a short crossfade; each performance starts at its beginning."""
        if performance != self._performance:
            self._before, self._performance = self._performance, performance
            self._places[1] = self._places[0]
            self._places[0] = 0.0
            self._places[4] = ms_to_frames(CROSSFADE_MS)

    def set_preamp_gain_db(self, gain_db: float) -> None:
        """Turn the interface's knob."""
        self._gain.set(db_to_linear(gain_db))

    def read(self, block: Block) -> None:
        g = self._gain
        _hear(
            block, self._sounds[self._performance], self._sounds[self._before], self._room,
            self._noise, self._places, float(ms_to_frames(CROSSFADE_MS)),
            db_to_linear(_CONVERTER_NOISE_DBFS), db_to_linear(_PREAMP_NOISE_DBFS),
            g.now, g.between, g.target, g.coefficient,
        )  # fmt: skip

    def status(self) -> dict[str, Any]:
        return {"state": "playing"}
