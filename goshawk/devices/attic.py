"""The attic: a room with a storyteller, the two-channel interface that her microphone is on, and a
laptop whose own microphone hears the same room from farther off.

Room: performance + its noise + what loudspeakers play, as it reaches the microphone's capsule.
Interface: preamp (its own noise, then its gain) → converter of 24 bits, which clips at 0 dBFS as real ones
do and has a noise of its own; left is the microphone, right has nothing plugged in.
"""

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.device_readings import DeviceReading
from goshawk.core.dsp.delay import CROSSFADE_MS, Delay
from goshawk.core.routing import AtticSettings, Performance
from goshawk.core.stage import Block, Floats, Glide, glide
from goshawk.core.steps import Integers, Step
from goshawk.devices.base import to_mono
from goshawk.devices.catalog import DEVICES
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
_STEPS = float(1 << 23)
_LAST_STEP = 1.0 - 1.0 / _STEPS
_USUAL_GAIN_DB = float(AtticSettings().preamp_gain_db)

SPEAKER_DELAY_MS = 4.0
"""Loudspeakers a good metre from the microphone: sound travels 34 cm in a millisecond."""

_LAPTOP_GAIN_DB = 24.0
_LAPTOP_NOISE_DBFS = -68.0


@kernel
def _perform(
    out: Block, new: Block, old: Block, room: Block, places: Floats, fade_frames: float
) -> None:
    """Places: of the new and old performance, the room, frames of the fade left, and whether something is in the air
    already, to which the room is added."""
    if places[4] == 0.0:
        out[:] = 0.0
    for n in range(out.shape[0]):
        weight = 1.0 - places[3] / fade_frames
        voice = new[int(places[0]), 0] * weight
        if places[3] > 0.0:
            voice += old[int(places[1]), 0] * (1.0 - weight)
            places[3] -= 1.0
        out[n, 0] += np.float32(voice + room[int(places[2]), 0])
        places[0] = places[0] + 1.0 if places[0] + 1.0 < new.shape[0] else 0.0
        places[1] = places[1] + 1.0 if places[1] + 1.0 < old.shape[0] else 0.0
        places[2] = places[2] + 1.0 if places[2] + 1.0 < room.shape[0] else 0.0


@kernel
def _convert(
    out: Block,
    air: Block,
    noise: Block,
    places: Integers,
    converter: float,
    preamp: float,
    now: Floats,
    between: Floats,
    target: Floats,
    a: float,
) -> None:
    """Preamp and converter. Places: in the noise."""
    place = places[0]
    for n in range(out.shape[0]):
        glide(now, between, target, a)
        left = (air[n, 0] + preamp * noise[place, 0]) * now[0] + converter * noise[place, 2]
        right = preamp * noise[place, 1] * now[0] + converter * noise[place, 3]
        out[n, 0] = np.float32(round(min(_LAST_STEP, max(-1.0, left)) * _STEPS) / _STEPS)
        out[n, 1] = np.float32(round(min(_LAST_STEP, max(-1.0, right)) * _STEPS) / _STEPS)
        place = place + 1 if place + 1 < noise.shape[0] else 0
    places[0] = place


class Room:
    """What reaches a microphone's capsule in the attic: ask the storyteller to be silent, murmur,
    talk, laugh out loud or type."""

    def __init__(self, max_frames: int) -> None:
        self._sounds: dict[Performance, Block] = {
            name: load_sound(file, db_to_linear(level))
            for name, (file, level) in _RECORDINGS.items()
        }
        self._sounds["silent"] = np.zeros((1, 1), np.float32)
        self._noise = load_sound("room", db_to_linear(_ROOM_DB))
        self._performance: Performance = "silent"
        self._before: Performance = "silent"
        self._places = np.zeros(5)
        self._air = np.zeros((max_frames, 1), np.float32)
        self._played = np.zeros((max_frames, 1), np.float32)
        self._way = Delay(1, ms_to_frames(SPEAKER_DELAY_MS), ms_to_frames(SPEAKER_DELAY_MS))
        self._leak = 0.0
        self._probe: Block | None = None

    def perform(self, performance: Performance) -> None:
        """Change what is heard, with a short crossfade; each performance starts at its beginning."""
        if performance != self._performance:
            self._before, self._performance = self._performance, performance
            self._places[1] = self._places[0]
            self._places[0] = 0.0
            self._places[3] = ms_to_frames(CROSSFADE_MS)

    def set_leak_db(self, leak_db: float | None) -> None:
        """How loudly loudspeakers reach the converter at the preamp's usual gain; None: headphones."""
        self._leak = 0.0 if leak_db is None else db_to_linear(leak_db - _USUAL_GAIN_DB)

    def click(self, probe: Block) -> None:
        """Make a short sound, shape (frames, 1), at the next block's first frame."""
        self._probe = probe

    def hear(self, played: Block) -> None:
        """Let the next block pass; ``played`` (frames, 2) is what loudspeakers play meanwhile."""
        frames = len(played)
        air = self._air[:frames]
        self.prepare(played)
        for step in self.steps():
            step.run(air)

    def prepare(self, played: Block) -> None:
        """What is in the air beside the performance, ahead of ``steps``."""
        frames = len(played)
        air = self._air[:frames]
        is_filled = bool(self._leak) or self._probe is not None
        self._places[4] = is_filled
        if not is_filled:
            return
        if self._leak:
            to_mono(played, self._played[:frames])
            np.multiply(self._way.process(self._played[:frames]), np.float32(self._leak), out=air)
        else:
            air.fill(0.0)
        if self._probe is not None:
            length = min(frames, len(self._probe))
            air[:length] += self._probe[:length]
            self._probe = self._probe[length:] if length < len(self._probe) else None

    def steps(self) -> tuple[Step, ...]:
        """The performance and the room, on ``whole_air``, until another performance begins."""
        step = Step(
            _perform, self._sounds[self._performance], self._sounds[self._before], self._noise,
            self._places, float(ms_to_frames(CROSSFADE_MS)),
        )  # fmt: skip
        return (step,)

    @property
    def whole_air(self) -> Block:
        """Where blocks pass, shape (max_frames, 1)."""
        return self._air

    def air(self, frames: int) -> Block:
        """The block that passed last, shape (frames, 1)."""
        return self._air[:frames]


class Interface:
    """The attic's two-channel interface."""

    channels = 2

    def __init__(self, room: Room) -> None:
        # 7 s and a little, so that it does not repeat in step with the room.
        shape = (int(7.3 * SAMPLE_RATE_HZ), 4)
        noise = np.random.default_rng(5).standard_normal(shape, np.float32)
        self._gain = g = Glide(1)
        self._step = Step(
            _convert, room.whole_air, noise, np.zeros(1, np.int64),
            db_to_linear(_CONVERTER_NOISE_DBFS), db_to_linear(_PREAMP_NOISE_DBFS),
            g.now, g.between, g.target, g.coefficient,
        )  # fmt: skip
        self.set_preamp_gain_db(0.0)

    def set_preamp_gain_db(self, gain_db: float) -> None:
        """Turn the interface's knob."""
        self._gain.set(db_to_linear(gain_db))

    @property
    def gain(self) -> float:
        """The preamp's gain, linear."""
        return float(self._gain.target[0])

    def read(self, block: Block) -> None:
        self._step.run(block)

    def steps(self) -> tuple[Step, ...] | None:
        return (self._step,)

    def status(self) -> DeviceReading:
        return {"state": "playing"}


class Laptop:
    """The laptop's microphone: the same room from farther off, with more noise."""

    channels = 1

    def __init__(self, room: Room) -> None:
        self._room = room
        farther = ms_to_frames(DEVICES["laptop"].air_ms)
        self._way = Delay(1, farther, farther)
        self._noise = np.random.default_rng(6).standard_normal(
            (int(5.7 * SAMPLE_RATE_HZ), 1), np.float32
        ) * np.float32(db_to_linear(_LAPTOP_NOISE_DBFS))
        self._place = 0

    def read(self, block: Block) -> None:
        frames = len(block)
        np.multiply(self._room.air(frames), np.float32(db_to_linear(_LAPTOP_GAIN_DB)), out=block)
        self._way.process(block)
        if self._place + frames > len(self._noise):
            self._place = 0
        block += self._noise[self._place : self._place + frames]
        self._place += frames

    def steps(self) -> tuple[Step, ...] | None:
        return None

    def status(self) -> DeviceReading:
        return {"state": "playing"}
