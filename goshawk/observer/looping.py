"""The loop: a piece of raw microphone that plays in its place while the chain is tuned.

The last minute of the raw microphone is always kept in memory, and nowhere else. A loop is handed to
the audio process as a file in a folder that is emptied with the program."""

import asyncio
from collections.abc import Callable
from pathlib import Path

import numpy as np

from goshawk.core.chain_slots import Chain
from goshawk.core.graph.comparison import Heard
from goshawk.core.graph.pick import picked
from goshawk.core.measure.sound_keeper import SoundKeeper
from goshawk.core.rendering import SHORTEST_LOOP_S, equal_loudness_gains_db, seamless
from goshawk.core.rig import Rig
from goshawk.core.stage import Block
from goshawk.errors import BadInput
from goshawk.observer.kept_sound import KeptSound
from goshawk.page_messages.chain import LoopState
from goshawk.supervisor import NewestWish, Supervisor
from goshawk.timeline.seams import Seams
from goshawk.units import SAMPLE_RATE_HZ


class Looper:
    """Takes a loop, plays it, and says how it stands. ``raw`` is what the microphone gave lately; ``folder`` gives a
    place for a loop's sound."""

    def __init__(
        self,
        raw: SoundKeeper,
        folder: Callable[[str], Path],
        play: Callable[[Path | None], None],
        compare: Callable[[Heard, float, Chain | None], None],
        tell: Callable[[], None],
        notify: Callable[[str, str], None],
        supervisor: Supervisor,
    ) -> None:
        self._raw = raw
        self._play, self._compare, self._tell = play, compare, tell
        self._kept = KeptSound(lambda: folder("loop"))
        self._notify, self._supervisor = notify, supervisor
        self._sound: Block | None = None
        self._recording_left = 0
        self._recorded: list[Block] = []
        self._gains: dict[Heard, float] = {"chain": 0.0, "raw": 0.0, "other": 0.0}
        self._measured: Chain | None = None
        self._measuring = NewestWish(supervisor, "finding one loudness", self._measure)
        self._seams = Seams()
        self.other: Chain | None = None
        self.state = LoopState()

    def close(self) -> None:
        """Forget everything."""
        self._forget_sound()

    def _forget_sound(self) -> None:
        self._sound = None
        self._kept.forget()

    def push(self, frame: int, piece: Block) -> None:
        """Raw microphone, shape (frames, 2), as it comes; ``frame`` is the first one's number. What is being taken is
        begun again behind a gap: a loop is never spliced."""
        if not self._recording_left:
            return
        if not self._seams.goes_on(frame, len(piece)):
            wanted = sum(map(len, self._recorded)) + self._recording_left
            self._recorded, self._recording_left = [], wanted
        self._recorded.append(piece)
        self._recording_left = max(0, self._recording_left - len(piece))
        if not self._recording_left:
            sound = np.concatenate(self._recorded)
            self._recorded = []
            self._supervisor.once("making the loop", self._begin_or_say(sound))

    async def _begin_or_say(self, sound: Block) -> None:
        try:
            await self.begin(sound)
        except BadInput as error:
            self.stop()
            self._notify(str(error), "trouble")

    async def start(self, seconds: float) -> None:
        """Loop the last seconds of the microphone. Raises BadInput if there are too few."""
        sound = self._raw.newest(round(seconds * SAMPLE_RATE_HZ))
        if len(sound) < SHORTEST_LOOP_S * SAMPLE_RATE_HZ:
            raise BadInput(
                f"There are not yet {SHORTEST_LOOP_S:g} seconds of the microphone to loop. Speak a little, "
                "then try again."
            )
        await self.begin(sound)

    def record(self, seconds: float) -> None:
        """Take the next seconds of the microphone, then loop them."""
        self.stop()
        self._seams.begin_anew()
        self._recording_left = round(seconds * SAMPLE_RATE_HZ)
        self.state = LoopState(is_recording=True, duration_s=seconds, has_other=bool(self.other))
        self._tell()

    def stop(self) -> None:
        """The microphone again."""
        self._recording_left = 0
        self._recorded = []
        self._kept.call_off()
        if self.state.is_on:
            self._play(None)
        self._forget_sound()
        self.state = LoopState(has_other=self.other is not None, other_name=self.state.other_name)
        self._tell()

    def hear(self, heard: Heard) -> None:
        """The loop through the chain, raw, or through the other chain. Raises BadInput."""
        if not self.state.is_on:
            raise BadInput("There is no loop to compare on. Start one first.")
        if heard == "other" and self.other is None:
            raise BadInput("There is no chain B yet. Keep one first.")
        self.state = self.state.model_copy(update={"heard": heard})
        self._send()
        self._tell()

    def keep_other(self, chain: Chain, name: str) -> None:
        """What to compare with, as chain B."""
        self.other = chain
        self.state = self.state.model_copy(update={"has_other": True, "other_name": name})
        self._send()
        self._tell()

    async def begin(self, raw: Block) -> None:
        """Loop a piece of raw microphone, shape (frames, 2), from now on. Raises BadInput."""
        sound = await self._kept.keep(lambda: seamless(raw))
        if sound is None:
            return
        self._sound = sound
        self.state = self.state.model_copy(
            update={
                "is_on": True,
                "is_recording": False,
                "heard": "chain",
                "duration_s": round(len(sound) / SAMPLE_RATE_HZ, 1),
            }
        )
        self._gains = {"chain": 0.0, "raw": 0.0, "other": 0.0}
        self._play(self._kept.path)
        self._send()
        self._tell()

    def _send(self) -> None:
        heard = self.state.heard
        if self.state.is_on:
            self._compare(heard, self._gains[heard], self.other)

    def follow(self, rig: Rig) -> None:
        """The rig that is set: with another chain than the one that was measured, the gains are found anew."""
        if self.state.is_on and rig.chain != self._measured:
            self.measure(rig)

    def measure(self, rig: Rig) -> None:
        """Find the gains at which raw, chain and other are equally loud, beside everything else. One search runs at a
        time, of the newest wish."""
        if self._sound is None or rig.voice is None:
            return
        self._measured = rig.chain
        self._measuring.ask((picked(self._sound, rig.voice.channels), rig.chain))

    async def _measure(self, wish: tuple[Block, Chain]) -> None:
        found = await asyncio.to_thread(equal_loudness_gains_db, *wish, self.other)
        if self._measuring.has_newer or not self.state.is_on:
            return
        self._gains = found
        self.state = self.state.model_copy(
            update={"gains_db": {name: round(gain, 1) for name, gain in found.items()}}
        )
        self._send()
        self._tell()
