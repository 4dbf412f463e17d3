"""The marks that Goshawk puts into a recording by itself, apart from the user's: few, and each once until it is over."""

from collections.abc import Callable

from goshawk.core.rig import Rig
from goshawk.page_messages.live import Levels
from goshawk.recorder.messages import Status

CLIP_EVERY_S = 10.0
COVERED_S = 5.0
"""So long the game stands over the voice before it is marked."""


class AutoMarks:
    """``put`` takes a name, and by how many seconds the moment is past."""

    def __init__(self, put: Callable[[str, float], None]) -> None:
        self._put = put
        self._clipped: list[int] = []
        self._clip_at_s: dict[int, float] = {}
        self._lost_devices: set[str] = set()
        self._missing_inputs: set[str] = set()
        self._covered_since_s: dict[str, float] = {}
        self._covered: set[str] = set()

    def look_at_tracks(self, status: Status, names: list[str], seconds: float) -> None:
        """Whether a track stood at full scale."""
        before = self._clipped or [0] * len(status.clipped)
        for n, count in enumerate(status.clipped):
            is_new = count > before[n] and seconds - self._clip_at_s.get(n, -1e9) > CLIP_EVERY_S
            if is_new:
                self._clip_at_s[n] = seconds
                self._put(f"{names[n]} clips", 0.2)
        self._clipped = list(status.clipped)

    def look_at_levels(self, levels: Levels, rig: Rig, seconds: float) -> None:
        """Whether a device is lost, and whether something stands over the voice."""
        for one in rig.inputs:
            device = levels.devices.get(one.device)
            is_lost = device is not None and device.state not in ("playing", "waiting")
            if is_lost and one.id not in self._lost_devices:
                self._put(f"{one.name}: device disconnected", 0.0)
            (self._lost_devices.add if is_lost else self._lost_devices.discard)(one.id)
            clearance_db = levels.clearance_db.get(one.id)
            is_over = clearance_db is not None and clearance_db < 0.0 and one.role != "voice"
            if not is_over:
                self._covered_since_s.pop(one.id, None)
                self._covered.discard(one.id)
                continue
            since_s = self._covered_since_s.setdefault(one.id, seconds)
            if seconds - since_s >= COVERED_S and one.id not in self._covered:
                self._covered.add(one.id)
                self._put(f"{one.name} above your voice", seconds - since_s)

    def look_at_rig(self, rig: Rig, inputs: dict[str, str]) -> list[str]:
        """Which recorded inputs (names by id) have just been removed; they are marked."""
        gone = [one for one in inputs if rig.input(one) is None]
        new = [one for one in gone if one not in self._missing_inputs]
        self._missing_inputs = set(gone)
        for one in new:
            self._put(f"{inputs[one]} was removed", 0.0)
        return [inputs[one] for one in new]
