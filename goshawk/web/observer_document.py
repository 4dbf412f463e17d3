"""The one place where the document is made that says what is wanted of the observer."""

from dataclasses import dataclass, field

from pydantic import TypeAdapter

from goshawk.core.chain_slots import Chain
from goshawk.core.computer import Computer
from goshawk.core.rig import Rig
from goshawk.observer.wanted import Learning, OnAir, OtherChain, Shown, Wanted
from goshawk.store.sound_checks import KeptCheck

_chain: TypeAdapter[Chain] = TypeAdapter(Chain)


@dataclass
class Measuring:
    """What tells the observer which of its measurements are of the past, what it learns, and what it compares with. Owned by the web
    process, so that an observer that is started anew goes on with it."""

    learning: Learning | None = None
    learned_runs: int = 0
    other: tuple[Chain, str] | None = None
    """Chain B and its name."""
    trims_taken: dict[str, int] = field(default_factory=dict)
    loudness_count: int = 0
    fault_count: int = 0
    click_count: int = 0

    def learn(self, stage_id: str) -> None:
        """Learn the room for a suppressor, or break it off ("")."""
        self.learned_runs += 1
        self.learning = Learning(self.learned_runs, stage_id) if stage_id else None

    def take_trims(self, inputs: list[str]) -> None:
        """What holds had added to these inputs is in their trims now."""
        for name in inputs:
            self.trims_taken[name] = self.trims_taken.get(name, 0) + 1


def wanted_of_observer(
    number: int,
    *,
    rig: Rig,
    rig_set: Rig | None,
    computer: Computer,
    shown: Shown,
    kept_check: KeptCheck | None,
    on_air: OnAir | None,
    measuring: Measuring,
) -> Wanted:
    """Make the document: ``rig`` is heard, ``rig_set`` is set, if that is another."""
    other = measuring.other
    return Wanted(
        number=number,
        rig=rig.model_dump_json().encode(),
        rig_set=None if rig_set is None else rig_set.model_dump_json().encode(),
        computer=computer.model_dump_json().encode(),
        shown=shown,
        learning=measuring.learning,
        other=None if other is None else OtherChain(_chain.dump_json(other[0]), other[1]),
        kept_check=None if kept_check is None else kept_check.model_dump_json().encode(),
        on_air=on_air,
        trims_taken=dict(measuring.trims_taken),
        loudness_count=measuring.loudness_count,
        fault_count=measuring.fault_count,
        click_count=measuring.click_count,
    )
