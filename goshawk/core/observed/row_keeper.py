"""The last minute of every input, kept so that it can be played again and another balance be tried on it."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from goshawk.core.graph.playback import Replayed
from goshawk.core.graph.stations import KEY, RAW, behind_chain, came, kept_sounds
from goshawk.core.measure.levels import HOP_FRAMES, TAIL
from goshawk.core.measure.sound_keeper import SoundKeeper
from goshawk.core.mix import HeardInputs
from goshawk.core.rendering import LONGEST_LOOP_S
from goshawk.core.rig import Rig
from goshawk.core.routing import LONGEST_INPUT_DELAY_MS
from goshawk.units import SAMPLE_RATE_HZ, ms_to_frames

KEPT_S = 30.0
KEPT_HOPS = round(KEPT_S * 100)
_MORE_S = 1.0 + LONGEST_INPUT_DELAY_MS / 1000.0
"""So much more as lies between the microphone and the last hop, and as the longest delay asks for."""


def _seconds_of(name: str) -> float:
    return (LONGEST_LOOP_S if name == RAW else KEPT_S) + _MORE_S


class RowKeeper:
    """Fed with sounds and speech activity by their numbers. What belongs to other inputs is forgotten."""

    def __init__(self) -> None:
        self._kind: Any = None
        self.raw = SoundKeeper(_seconds_of(RAW))
        """Both channels of the main voice's device."""
        self.forget()

    def forget(self) -> None:
        """Begin anew."""
        self._sounds: dict[str, SoundKeeper] = {RAW: self.raw}
        self.raw.forget()
        self._activity: NDArray[np.int8] = np.zeros(0, np.int8)
        self._next_hop = 0

    def follow(self, rig: Rig) -> None:
        """What the sounds depend on: with another one than before they are forgotten."""
        kind = sound_of(rig)
        if kind != self._kind:
            self._kind = kind
            self.forget()

    def push(self, name: str, frame: int, samples: Any) -> None:
        """A piece of one of the ``kept_sounds``."""
        if name not in self._sounds:
            self._sounds[name] = SoundKeeper(_seconds_of(name))
        self._sounds[name].push(frame, samples)

    @property
    def end(self) -> int:
        """The number of the frame behind the newest one."""
        return max(one.end for one in self._sounds.values())

    def of_input(self, input_id: str, rig: Rig) -> SoundKeeper | None:
        """What an input's device gave, both its channels of the main voice's and as it was picked of others'; None while
        nothing came."""
        return self.raw if input_id == rig.chained else self._sounds.get(came(input_id))

    def push_activity(self, first_hop: int, activity: NDArray[np.int8]) -> None:
        """Speech activity of the hops from ``first_hop`` on; what is missing counts as neither speech nor pause."""
        missing = first_hop - self._next_hop
        if not len(self._activity) or not 0 <= missing <= KEPT_HOPS:
            self._activity, missing = activity[:0], 0
        unknown = np.full(missing, TAIL, np.int8)
        self._activity = np.concatenate([self._activity, unknown, activity])[-KEPT_HOPS:]
        self._next_hop = first_hop + len(activity)

    def heard(self, rig: Rig, seconds: float = KEPT_S) -> HeardInputs | None:
        """The newest seconds of all inputs as a mix is made from them, in whole hops; None while there are none."""
        if any(name not in self._sounds for name in kept_sounds(rig)):
            return None
        own = {one.id: ms_to_frames(one.delay_ms) for one in rig.inputs}
        late = own.get(rig.chained, 0)
        # The sum holds a voice's hop later by the voice's own delay, and any other input from earlier by its own.
        shifts = {KEY: 0} | {
            (behind_chain(name) if name == rig.chained else came(name)): (
                late if name == rig.chained else late - delay
            )
            for name, delay in own.items()
        }
        end = min(self._sounds[name].end - shift for name, shift in shifts.items())
        end_hop = min(self._next_hop, end // HOP_FRAMES)
        activity = self._activity[: len(self._activity) - (self._next_hop - end_hop)]
        start = max(self._sounds[name].start - shift for name, shift in shifts.items())
        hops = min(len(activity), round(seconds * 100), end_hop - -(-start // HOP_FRAMES))
        if hops <= 0:
            return None
        first, last = (end_hop - hops) * HOP_FRAMES, end_hop * HOP_FRAMES

        def cut(name: str) -> Any:
            return self._sounds[name].cut(first + shifts[name], last + shifts[name])

        activity = activity[len(activity) - hops :].copy()
        for name, shift in shifts.items():
            for gap_start, gap_end in self._sounds[name].gaps:
                begins = (gap_start - shift - first) // HOP_FRAMES
                activity[max(0, begins) : max(0, -(-(gap_end - shift - first) // HOP_FRAMES))] = (
                    TAIL
                )
        rows = {one: cut(behind_chain(one) if one == rig.chained else came(one)) for one in own}
        return HeardInputs(rows, np.ascontiguousarray(cut(KEY)[:, :1]), activity, end_hop - hops)

    def recorded(self, rig: Rig, seconds: float) -> Replayed | None:
        """The newest seconds of every input as it came, together: both channels of the voice's device, the others
        as picked; by the input's id. None while there are none. Nothing from before a gap: played as the microphone,
        its silence would pass for the room."""
        kept = {one.id: keeper for one in rig.inputs if (keeper := self.of_input(one.id, rig))}
        if not kept or len(kept) < len(rig.inputs):
            return None
        end = min(one.end for one in kept.values())
        start = max(
            max(one.whole_from for one in kept.values()), end - round(seconds * SAMPLE_RATE_HZ)
        )
        if start >= end:
            return None
        return {name: one.cut(start, end) for name, one in kept.items()}


def sound_of(rig: Rig) -> Any:
    """What the inputs' sound depends on."""
    return (
        rig.devices,
        rig.chained,
        rig.chain,
        [(one.id, one.device, one.channels, one.delay_ms) for one in rig.inputs],
    )
