"""The one place where the document is made that says what is wanted of the observer. Whoever owns a part of it puts it here; what has
changed is sent (``goshawk.wanted``), and an observer that is started anew begins with all of it."""

import json
from pathlib import Path
from typing import Any

import msgspec
from pydantic import TypeAdapter

from goshawk.bus import Bus
from goshawk.core.chain_slots import Chain
from goshawk.core.rig import Rig
from goshawk.observer.wanted import (
    Begin,
    Learning,
    ObserverWanted,
    OnAir,
    OtherChain,
    Resumed,
    Shown,
)
from goshawk.store.sound_checks import KeptCheck
from goshawk.store.work_folder import WorkFolder
from goshawk.wanted import WantedSender
from goshawk.web.events import ComputerChanged, RigHeard
from goshawk.web.kept_takes import KeptTakes

_chain: TypeAdapter[Chain] = TypeAdapter(Chain)


class ObserverDocument:
    """Holds the newest document. Parts that cost something to pack are packed when they change, and not with every document."""

    def __init__(
        self,
        rig: Rig,
        kept_check: KeptCheck | None,
        takes_folder: Path,
        takes: KeptTakes,
        work: WorkFolder,
        bus: Bus,
    ) -> None:
        self._takes_folder, self._takes, self._work = takes_folder, takes, work
        self.resumed: Resumed | None = None
        """How far the broadcast is, for an observer that is started."""
        self._learned_runs = 0
        self.other: tuple[Chain, str] | None = None
        """Chain B and its name."""
        self._wanted = ObserverWanted(number=0, rig=_packed(rig), kept_check=_kept(kept_check))
        self.sender = WantedSender(self.make)
        bus.subscribe(RigHeard, self._follow_rig)
        bus.subscribe(ComputerChanged, self._follow_computer)

    def make(self, number: int) -> ObserverWanted:
        """The document as it is now, with the number that it gets."""
        return msgspec.structs.replace(self._wanted, number=number)

    def begin(self, wanted: ObserverWanted) -> Begin:
        """The first message to an observer that is started."""
        return Begin(
            str(self._takes_folder),
            str(self._work.path),
            self._takes.packed(),
            wanted,
            self.resumed,
        )

    def _put(self, **parts: Any) -> None:
        self._wanted = msgspec.structs.replace(self._wanted, **parts)
        self.sender.changed()

    def _follow_rig(self, said: RigHeard) -> None:
        tried = said.tried
        if tried is None:
            self._put(rig=_packed(said.rig), tried=None)
        else:
            self._put(tried=json.dumps(tried.values).encode())

    def _follow_computer(self, said: ComputerChanged) -> None:
        self._put(computer=said.computer.model_dump_json().encode())

    def show(self, **looked_at: Any) -> None:
        """What pages look at (fields of ``Shown``)."""
        shown: Shown = msgspec.structs.replace(self._wanted.shown, **looked_at)
        if shown != self._wanted.shown:
            self._put(shown=shown)

    def keep_check(self, kept: KeptCheck) -> None:
        """Another sound check is in use."""
        self._put(kept_check=_kept(kept))

    def be_on_air(self, on_air: OnAir | None) -> None:
        """What is to be watched over; None: nobody is on air."""
        if on_air != self._wanted.on_air:
            self._put(on_air=on_air)

    @property
    def learning(self) -> Learning | None:
        """The room that is learned."""
        return self._wanted.learning

    def learn(self, stage_id: str) -> None:
        """Learn the room for a suppressor, or break it off ("")."""
        self._learned_runs += 1
        self._put(learning=Learning(self._learned_runs, stage_id) if stage_id else None)

    def compare_with(self, chain: Chain, name: str) -> None:
        """Take a chain as chain B."""
        self.other = (chain, name)
        self._put(other=OtherChain(_chain.dump_json(chain), name))

    def take_trims(self, inputs: list[str]) -> None:
        """What holds had added to these inputs is in their trims now."""
        before = self._wanted.trims_taken
        self._put(trims_taken=before | {name: before.get(name, 0) + 1 for name in inputs})

    def count_loudness_anew(self) -> None:
        """Begin the count of the loudness of the full mix anew."""
        self._put(loudness_count=self._wanted.loudness_count + 1)

    def note_fault(self) -> None:
        """A device was made to go wrong."""
        self._put(fault_count=self._wanted.fault_count + 1)

    def note_click(self) -> None:
        """A delay is measured."""
        self._put(click_count=self._wanted.click_count + 1)


def _packed(rig: Rig) -> bytes:
    return rig.model_dump_json().encode()


def _kept(check: KeptCheck | None) -> bytes | None:
    return None if check is None else check.model_dump_json().encode()
