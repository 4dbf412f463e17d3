"""What the audio process is given to play: the rig, and what takes its place for a while."""

from pathlib import Path

from pydantic import TypeAdapter

from goshawk.bus import Bus
from goshawk.core.chain_slots import Chain
from goshawk.core.device_info import info_of
from goshawk.core.rig import BlockFrames, Rig, Tried
from goshawk.core.routing import Performance
from goshawk.devices.catalog import DEVICES
from goshawk.engine.client import EngineClient
from goshawk.observer import requests
from goshawk.page_messages.chain import LoopState
from goshawk.web.events import RigHeard, StateChanged

_chain: TypeAdapter[Chain | None] = TypeAdapter(Chain | None)
_performance: TypeAdapter[Performance | None] = TypeAdapter(Performance | None)


class WhatPlays:
    """Puts the plan together from the rig that is heard, a buffer that is tried, what a take asks of the stand-in, and
    what the observer has played: loops and replays."""

    def __init__(self, rig: Rig, engine: EngineClient, bus: Bus) -> None:
        self._rig, self._engine, self._bus = rig, engine, bus
        self._tried_block: BlockFrames | None = None
        self.loop = LoopState()
        self._loop: str | None = None
        self._performance: Performance | None = None
        self._before: Rig | None = None
        self._replayed: tuple[str | None, list[str]] = (None, [])
        bus.subscribe(RigHeard, self._follow_rig)
        bus.subscribe(requests.UnderWay, self._follow)
        bus.subscribe(requests.PlayLoop, self._play_loop)
        bus.subscribe(requests.Compare, self._compare)
        bus.subscribe(requests.PlayReplay, self._play_replay)

    @property
    def is_apart(self) -> bool:
        """Whether something plays in the place of microphones, which nobody else is to hear meanwhile."""
        return self._loop is not None or self._replayed[0] is not None

    def _follow_rig(self, said: RigHeard) -> None:
        self._rig = said.rig
        self._give(said.tried)

    def try_block(self, frames: BlockFrames | None) -> None:
        """Try a size of block; None: the one that is set."""
        self._tried_block = frames
        self._give()

    def _give(self, tried: Tried | None = None) -> None:
        """The rig as it is to be heard now; ``tried`` says what of it is tried alone."""
        rig = self._rig
        if self._before:
            then = self._before
            rig = rig.model_copy(
                update={"inputs": then.inputs, "feeds": then.feeds, "chained": then.chained}
            )
        if self._tried_block:
            rig = rig.model_copy(update={"block_frames": self._tried_block})
        if self._performance and rig.voice and info_of(DEVICES, rig.voice.device).performs:
            # The stand-in gives what a take asks for; the rig keeps what the user set.
            attic = rig.devices.attic.model_copy(update={"performance": self._performance})
            rig = rig.model_copy(
                update={"devices": rig.devices.model_copy(update={"attic": attic})}
            )
        self._engine.apply(rig, tried if rig is self._rig else None)

    def _follow(self, said: requests.UnderWay) -> None:
        """What is under way at the observer."""
        self.loop = LoopState.model_validate_json(said.loop)
        performance = _performance.validate_python(said.performance)
        if performance != self._performance:
            self._performance = performance
            self._give()
        self._bus.publish(StateChanged())

    def _play_loop(self, said: requests.PlayLoop) -> None:
        """A loop in the microphone's place, or no more."""
        self._loop = said.path
        self._engine.loop(Path(said.path) if said.path else None)

    def _compare(self, said: requests.Compare) -> None:
        """How the loop is heard."""
        other = _chain.validate_json(said.other) if said.other else None
        heard = LoopState.model_validate({"heard": said.heard}).heard
        self._engine.compare(heard, said.gain_db, other)

    def _play_replay(self, said: requests.PlayReplay) -> None:
        """Recorded inputs in place of all devices, or no more."""
        self._before = Rig.model_validate_json(said.before) if said.before else None
        # The rig goes first: what was muted while the balance of then was heard is shut before the devices return.
        self._give()
        if (said.path, said.names) != self._replayed:
            self._replayed = (said.path, said.names)
            self._engine.replay(Path(said.path) if said.path else None, said.names)
        self._engine.replay_gain(said.gain_db)

    def forget(self) -> None:
        """The observer is gone, and with it what it had played."""
        self._play_loop(requests.PlayLoop(None))
        self._play_replay(requests.PlayReplay(None, [], 0.0, None))
        self._follow(requests.UnderWay(LoopState().model_dump_json().encode(), None))
