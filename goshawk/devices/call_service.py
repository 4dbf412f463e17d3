"""The call service: another voice comes back, and perhaps one's own. It may treat the voice that one
sends with a gain control and a noise suppression of its own, left on by mistake."""

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.device_readings import DeviceReading
from goshawk.core.dsp.delay import Delay
from goshawk.core.routing import CallServiceSettings
from goshawk.core.stage import Block, Floats
from goshawk.core.steps import Step
from goshawk.devices.base import LoopSource, to_mono
from goshawk.devices.sounds import load_sound
from goshawk.units import db_to_linear, ms_to_frames, one_pole_coefficient

RETURN_MS = 180.0
"""There and back over a network, with the far end's buffers."""

RETURN_DB = -9.0
_AIM = db_to_linear(-20.0)
_MOST_GAIN, _LEAST_GAIN = db_to_linear(15.0), db_to_linear(-15.0)
_NOISE = db_to_linear(-46.0)
_SUPPRESSED = db_to_linear(-18.0)
_LEVEL_MS, _GAIN_MS = 50.0, 600.0


@kernel
def _treat(
    block: Block, state: Floats, rides: bool, suppresses: bool, level_a: float, gain_a: float
) -> None:
    """State: mean power, gain of the rider, gain of the suppression."""
    for n in range(block.shape[0]):
        x = float(block[n, 0])
        state[0] = state[0] * level_a + x * x * (1.0 - level_a)
        rms = np.sqrt(state[0])
        wanted = 1.0
        if rides and rms > _NOISE:
            wanted = min(_MOST_GAIN, max(_LEAST_GAIN, _AIM / rms))
        elif rides:
            wanted = state[1]
        state[1] = state[1] * gain_a + wanted * (1.0 - gain_a)
        kept = _SUPPRESSED if suppresses and rms < _NOISE else 1.0
        state[2] = state[2] * level_a + kept * (1.0 - level_a)
        block[n, 0] = np.float32(x * state[1] * state[2])


class CallService:
    """The co-pilot at the other end, one channel."""

    channels = 1

    def __init__(self, max_frames: int) -> None:
        self._copilot = LoopSource(load_sound("copilot"))
        self._settings = CallServiceSettings()
        self._sent = np.zeros((max_frames, 1), np.float32)
        self._network = Delay(1, ms_to_frames(RETURN_MS), ms_to_frames(RETURN_MS))
        self._state = np.array([0.0, 1.0, 1.0])
        self._level_a, self._gain_a = (one_pole_coefficient(ms) for ms in (_LEVEL_MS, _GAIN_MS))

    def apply(self, settings: CallServiceSettings) -> None:
        """Take the service's own switches."""
        self._settings = settings
        self._copilot.mute(not settings.is_talking)

    def take(self, feed: Block) -> None:
        """What Goshawk sends into the call, shape (frames, 2); heard by ``read`` if it returns."""
        s = self._settings
        if not s.sends_back:
            return
        sent = self._sent[: len(feed)]
        to_mono(feed, sent)
        if s.has_gain_control or s.has_suppression:
            _treat(
                sent,
                self._state,
                s.has_gain_control,
                s.has_suppression,
                self._level_a,
                self._gain_a,
            )
        self._network.process(sent)

    def read(self, block: Block) -> None:
        self._copilot.read(block)
        if self._settings.sends_back:
            block += self._sent[: len(block)] * np.float32(db_to_linear(RETURN_DB))

    def steps(self) -> tuple[Step, ...] | None:
        return None if self._settings.sends_back else self._copilot.steps()

    def status(self) -> DeviceReading:
        s = self._settings
        processing = [
            name
            for name, is_on in (
                ("gain control", s.has_gain_control),
                ("noise suppression", s.has_suppression),
            )
            if is_on
        ]
        return {"state": "playing", "processing": processing}
