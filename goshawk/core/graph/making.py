"""Parts of the graph that take long to make, made beside the sound and taken over at a block's border."""

from goshawk.core.chain_slots import Chain, Slot
from goshawk.core.graph.chain import StagePlace
from goshawk.core.graph.strip import Strip, channels_of
from goshawk.core.rig import Rig
from goshawk.core.routing import InputSettings


class Parts:
    """Gives stages and inputs to the graph: those that were made ahead, else made on the spot."""

    def __init__(self, max_frames: int) -> None:
        self._max_frames = max_frames
        self._places: dict[tuple[str, str, int], StagePlace] = {}
        self._strips: dict[str, Strip] = {}

    def make_ahead(self, old: Rig, new: Rig, old_other: Chain | None, other: Chain | None) -> None:
        """What ``new`` has and ``old`` had not: inputs, stages, stages for another count of channels, and those of a
        chain to compare with. This is what takes its time."""
        before = {one.id: one for one in old.inputs}
        for one in new.inputs:
            was = before.get(one.id)
            if was is None:
                self._strips[one.id] = Strip(one, 0, self._max_frames)
                continue
            there = _stages(was.chain) if channels_of(was) == channels_of(one) else set()
            self._make(one.chain, there, channels_of(one))
        voice = new.voice
        if voice and other is not None:
            self._make(other, _stages(old_other or ()), channels_of(voice))

    def _make(self, chain: Chain, there: set[tuple[str, str]], channels: int) -> None:
        for slot in chain:
            if (slot.id, slot.stage) not in there:
                place = StagePlace(slot, channels, self._max_frames)
                self._places[slot.id, slot.stage, channels] = place

    def place(self, slot: Slot, channels: int) -> StagePlace:
        """A stage in its place."""
        made = self._places.pop((slot.id, slot.stage, channels), None)
        if made is not None and made.slot == slot:
            return made
        return StagePlace(slot, channels, self._max_frames)

    def strip(self, settings: InputSettings, row: int) -> Strip:
        """An input's way to the matrix."""
        made = self._strips.pop(settings.id, None)
        if made is None or made.settings != settings:
            return Strip(settings, row, self._max_frames)
        made.row = row
        return made


def _stages(chain: Chain) -> set[tuple[str, str]]:
    return {(slot.id, slot.stage) for slot in chain}
