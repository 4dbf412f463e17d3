"""The last minutes on air, so that a moment can be heard again though nothing is recorded of it."""

from pathlib import Path

from goshawk.core.graph.pick import picked
from goshawk.core.graph.stations import RAW
from goshawk.core.measure.loudness import loudness_lufs
from goshawk.core.measure.sound_keeper import SoundKeeper
from goshawk.core.rig import Rig
from goshawk.core.stage import Block
from goshawk.core.watch_settings import HeardAs
from goshawk.errors import BadInput
from goshawk.observer.listen_back import gain_to_goal_db, write_heard
from goshawk.units import SAMPLE_RATE_HZ

KEPT_S = 120.0
REFERENCE_S = 30.0
"""The newest half minute says by how much each is to be louder."""

VIEWERS = "viewers"


class LastMinutes:
    """What viewers got, and the main voice as it came, by their frames; 46 MB each, while somebody is on air."""

    def __init__(self) -> None:
        self.forget()

    def forget(self) -> None:
        """Let go of everything."""
        self._kept: dict[HeardAs, SoundKeeper] = {}
        self._gains_db: dict[HeardAs, float] = {}

    def begin(self) -> None:
        """Keep from now on."""
        self.forget()
        self._kept = {"was": SoundKeeper(KEPT_S), "came": SoundKeeper(KEPT_S)}

    def push(self, name: str, frame: int, samples: Block, rig: Rig) -> None:
        """A piece of any sound; those that are not wanted are let pass."""
        if not self._kept:
            return
        if name == VIEWERS:
            self._kept["was"].push(frame, samples)
        elif name == RAW and rig.voice:
            self._kept["came"].push(frame, picked(samples, rig.voice.channels))

    def hear(self, way: HeardAs, first: int, frames: int, target: Path) -> None:
        """Write a piece as WAV, as loud as a recording would be heard. Raises BadInput if it is not there any more, or not yet."""
        kept = self._kept.get(way)
        if kept is None:
            raise BadInput("Nothing was recorded of it, and you are not on air any more.")
        if first + frames <= kept.start or first >= kept.end:
            raise BadInput(
                f"Nothing was recorded of it, and only the last {KEPT_S / 60:.0f} minutes are kept without. "
                "Switch on “Record too” to hear any moment again."
            )
        if way not in self._gains_db:
            found = loudness_lufs(kept.newest(round(REFERENCE_S * SAMPLE_RATE_HZ)))
            if found is not None:
                self._gains_db[way] = gain_to_goal_db(found)
        write_heard(target, kept.cut(first, first + frames), self._gains_db.get(way, 0.0))
