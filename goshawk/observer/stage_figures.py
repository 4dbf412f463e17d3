"""What the stages of the chain are doing, as the page shows it: efforts, losses, and their cost."""

from collections import deque
from collections.abc import Collection, Iterator

from goshawk.core.chain_slots import Slot
from goshawk.core.graph.stations import MICROPHONE, comes_in
from goshawk.core.measure.levels import HOP_MS
from goshawk.core.measure.stage_work import (
    chatter_per_minute,
    compressor_effort_db,
    first_syllable_losses,
    limiter_work,
)
from goshawk.core.observed.monitor import Monitor
from goshawk.core.rig import Rig
from goshawk.core.routing import InputSettings
from goshawk.page_messages.chain import Effort, GateWork, LimiterWork

KEPT_COSTS = 60
"""One each reading: two seconds."""


class StageCosts:
    """How much of the time each stage takes."""

    def __init__(self) -> None:
        self._busy: deque[tuple[int, dict[str, float]]] = deque(maxlen=KEPT_COSTS)

    def push(self, blocks: int, busy_s: dict[str, float]) -> None:
        """How many blocks there were in all, and what each stage took since the last call."""
        self._busy.append((blocks, busy_s))

    def percent(self, block_s: float) -> dict[str, float]:
        """Of a block's time, by stage, on the mean of the last seconds."""
        if len(self._busy) < 2:
            return {}
        spent = (self._busy[-1][0] - self._busy[0][0]) * block_s
        if spent <= 0.0:
            return {}
        # What came with the first entry was spent before it.
        later = list(self._busy)[1:]
        return {
            name: round(sum(busy.get(name, 0.0) for _, busy in later) / spent * 100.0, 1)
            for name in later[-1][1]
        }


def stage_work(
    monitor: Monitor, rig: Rig, shown: Collection[str] = ()
) -> tuple[dict[str, Effort], dict[str, GateWork], dict[str, LimiterWork]]:
    """Of every compressor, gate and limiter of the main voice's chain and those of the ``shown`` inputs, by its id."""
    efforts: dict[str, Effort] = {}
    gates: dict[str, GateWork] = {}
    limiters: dict[str, LimiterWork] = {}
    for one, before, slot in _working(rig, shown):
        around = monitor.around(before, slot.id, one.id, rig)
        if around is None:
            continue
        entering, leaving, activity = around
        match slot.stage:
            case "compressor":
                effort = compressor_effort_db(slot.settings, entering[:, 1], activity)
                if effort:
                    efforts[slot.id] = Effort(
                        usual_db=round(effort[0], 1), loudest_db=round(effort[1], 1)
                    )
            case "gate":
                losses = first_syllable_losses(entering, leaving, activity)
                gates[slot.id] = GateWork(
                    losses_ago_ms=[loss.hops_ago * HOP_MS for loss in losses],
                    chatter_per_minute=round(chatter_per_minute(entering, leaving), 1),
                )
            case "limiter":
                work = limiter_work(entering, leaving, activity)
                if work:
                    limiters[slot.id] = LimiterWork(
                        share_percent=round(work[0], 1), deepest_db=round(work[1], 1)
                    )
    return efforts, gates, limiters


def _working(rig: Rig, shown: Collection[str]) -> Iterator[tuple[InputSettings, str, Slot]]:
    """Every stage that is not bypassed, its input, and the station ahead of it."""
    for one in rig.inputs:
        if one.id != rig.chained and one.id not in shown:
            continue
        before = MICROPHONE if one.id == rig.chained else comes_in(one.id)
        for slot in one.chain:
            if not slot.is_bypassed:
                yield one, before, slot
            before = slot.id
