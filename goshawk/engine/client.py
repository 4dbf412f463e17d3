"""The engine as the other parts see it: start it, give it the plan and sound, hear its readings.

What it is to do is one plan, sent until the engine's readings name it; if the audio process dies it is started
again with that plan, and the user is told.
"""

import asyncio
import contextlib
import json
import logging
import select
import subprocess
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import msgspec

from goshawk.bus import Bus
from goshawk.core.chain_slots import Chain
from goshawk.core.graph.comparison import Heard
from goshawk.core.rig import Rig, Tried
from goshawk.engine import messages
from goshawk.engine.plan import Comparing, Plan
from goshawk.engine.spawn import Spawned, spawn
from goshawk.errors import TimelineLost
from goshawk.silence import Silence
from goshawk.system.ending import see_end
from goshawk.system.links import Packets
from goshawk.timeline.memory import FRAMES, Memory, sweep
from goshawk.units import SAMPLE_RATE_HZ

log = logging.getLogger(__name__)

SILENT_S = 3.0
"""An engine that said nothing for this long is taken for hung, and replaced."""

START_S = 180.0
"""A first start compiles every kernel."""

LIVED_S = 1.0
"""One that played for so long and then stopped is started again at once; one that does not begin, ever later."""

ENDS_S = 0.5
"""So long it may take to end by itself."""

SEND_AGAIN_S = 0.1
UNSEEN_S = 2.0
"""A plan that was not seen for so long is told to the user."""

FIRST_PAUSE_S, LONGEST_PAUSE_S = 0.2, 5.0
"""Before an audio process that was lost is started again."""

TAKEN_AT_ONCE = 16
"""One turn of the event loop takes so many messages at most."""


BACK = "The audio process stopped for a moment. It plays again, with your settings."

CHANGE, PROCESS = "change", "process"
"""What a sentence is about: the newest about the same takes the place of those before."""


@dataclass(frozen=True)
class ForUser:
    """A sentence for the user: trouble, or that it is over."""

    text: str
    about: str = ""
    is_over: bool = False


@dataclass(frozen=True)
class Planned:
    """A new plan's number, and its rig if that is another than before: said before the audio process gets it."""

    number: int
    rig: Rig | None


class EngineClient:
    """Starts, feeds and watches over the audio process."""

    def __init__(self, rig: Rig, bus: Bus, spawned: Spawned | None = None) -> None:
        """What it publishes, in the event loop: ``messages.Seen`` with every reading, ``messages.InsertMeasured``, ``ForUser`` and
        ``Planned``. ``spawned`` is a process that was started before, and waits for its plan. Raises TimelineLost."""
        self._bus, self._spawned = bus, spawned
        if spawned is None:
            sweep()
        self.memory = spawned.memory if spawned else Memory.make()
        self._plan = self._base = Plan(number=1, rig=rig)
        """The newest plan, and the newest that was sent whole: the same but for what is tried."""
        self._tried: dict[str, Any] = {}
        self._sent_at = self._unseen_since = 0.0
        self._is_told = self._is_said_lost = False
        self.seen_number = 0
        self._process: subprocess.Popen[bytes] | None = None
        self._end: Packets | None = None
        self._is_ready = False
        self._silence = Silence()
        self._passed = (0, time.monotonic())
        self._ready_at = 0.0
        self._watch: asyncio.Task[None] | None = None
        self._is_stopping = False
        self.restarts = self._lost_in_a_row = 0
        self._hurried_until = 0
        self.heard_frames = 0

    @property
    def is_running(self) -> bool:
        """Whether sound flows now."""
        return self._is_ready

    @property
    def pid(self) -> int | None:
        """The audio process's number."""
        return self._process.pid if self._process else None

    @property
    def plan_number(self) -> int:
        """Of the newest plan; it is heard once ``seen_number`` is the same."""
        return self._plan.number

    async def start(self) -> None:
        """Start the process; returns at once, ``is_running`` tells when it plays."""
        self._launch()
        self._watch = asyncio.create_task(self._watch_over())

    async def stop(self) -> None:
        """End the process."""
        self._is_stopping = True
        if self._watch:
            self._watch.cancel()
        if self._end:
            with contextlib.suppress(OSError):
                messages.send(self._end, messages.Quit())
        await self._put_away()
        self.memory.remove()

    @property
    def frame_now(self) -> int:
        """Where the timeline is now. While no audio process makes sound, time passes all the same: the next one goes on there."""
        frame, now = int(self.memory.head[FRAMES]), time.monotonic()
        if frame != self._passed[0]:
            self._passed = (frame, now)
        silent_s = max(0.0, now - self._passed[1] - SEND_AGAIN_S)
        return frame + round(silent_s * SAMPLE_RATE_HZ)

    # --- the plan --------------------------------------------------------------------------------

    @property
    def rig(self) -> Rig:
        """As the newest plan has it."""
        return self._plan.rig

    def apply(self, rig: Rig, tried: Tried | None = None) -> None:
        """Give the engine a rig; it takes it at the next block. ``tried`` says in what it differs from another one: over the one that
        it has, only that is sent."""
        is_over_base = tried is not None and tried.over is self._base.rig
        self._change(tried.values if tried and is_over_base else {}, rig=rig)

    def play_file(self, path: Path | None) -> None:
        """Play prepared samples as the microphone, from their beginning."""
        self._change(file=_named(path), file_round=self._plan.file_round + 1)

    def set_points(self, points: list[str]) -> None:
        """At which points pages listen: a feed's name, or ``input:`` and an input's id."""
        self._change(points=tuple(points))

    def cough(self, is_on: bool) -> None:
        """Silence the voices while a key is held."""
        self._change(is_coughing=is_on)

    def watch_devices(self, is_on: bool) -> None:
        """Run the devices that no input uses too, so that their levels are seen."""
        self._change(is_watching=is_on)

    def know_computer(self, virtual: dict[str, str], watched: list[str], cards_round: int) -> None:
        """The virtual devices that were made, by their keys; devices whose level is looked at; a count of changes of the
        list of sound cards."""
        self._change(virtual=virtual, watched=tuple(watched), cards_round=cards_round)

    def be_seen(self, is_seen: bool) -> None:
        """Whether somebody looks at what the engine says."""
        self._change(is_seen=is_seen)

    def loop(self, path: Path | None) -> None:
        """Play a piece of raw microphone (a .npy file) in its place, to you alone; None: no more."""
        self._change(loop=_named(path), comparing=Comparing())

    def compare(self, heard: Heard, gain_db: float, other: Chain | None) -> None:
        """While a loop plays: hear it through the chain, raw, or through another chain."""
        self._change(comparing=Comparing(heard=heard, gain_db=gain_db, other=other))

    def replay(self, path: Path | None, names: list[str]) -> None:
        """Play recorded inputs (an .npy file and the inputs' ids) in place of all devices, to you alone."""
        self._change(replay=_named(path), replay_names=tuple(names))

    def replay_gain(self, gain_db: float) -> None:
        """How loudly you hear the replay."""
        self._change(replay_gain_db=gain_db)

    def hold(self, held_db: dict[str, float]) -> None:
        """What holds add to the trims, in dB by the input's id."""
        self._change(held_db=dict(held_db))

    def _change(self, tried: dict[str, Any] | None = None, /, **update: Any) -> None:
        plan = self._plan.model_copy(update=update)
        ends_drag = bool(self._tried) and not tried
        if plan == self._plan and not ends_drag:
            return
        if self.seen_number == self._plan.number:
            self._unseen_since = time.monotonic()
        is_same_rig = plan.rig == self._plan.rig
        self._plan = plan.model_copy(update={"number": plan.number + 1})
        self._tried = tried or {}
        if not self._tried:
            self._base = self._plan
        self._bus.publish(Planned(self._plan.number, None if is_same_rig else plan.rig))
        self._send_plan()

    def _send_plan(self, *, is_again: bool = False) -> None:
        self._sent_at = time.monotonic()
        if not self._tried or (is_again and self.seen_number < self._base.number):
            self._send(messages.NewPlan.of(self._base))
        if self._tried:
            values = json.dumps(self._tried).encode()
            self._send(messages.TriedPlan(self._plan.number, self._base.number, values))

    def _follow_plan(self) -> None:
        """Send the plan again while it is not seen: what did not fit into the socket must not be lost."""
        if self.seen_number == self._plan.number:
            if self._is_told:
                self._is_told = False
                self._bus.publish(ForUser("Your last change is heard now.", CHANGE, is_over=True))
            return
        now = time.monotonic()
        if self._is_ready and now - self._sent_at > SEND_AGAIN_S:
            self._send_plan(is_again=True)
        if now - self._unseen_since > UNSEEN_S and self._is_ready and not self._is_told:
            self._is_told = True
            self._say(
                "The audio process has not taken your last change yet. It is sent until it is heard.",
                CHANGE,
            )

    # --- what does not last ----------------------------------------------------------------------

    def push_microphone(self, rate_hz: int, channels: int, samples: bytes) -> None:
        """The browser's microphone: interleaved float32. It gives way to all else when the engine is slow."""
        if self._end and self._end.has_room:
            self._send(messages.Microphone(rate_hz, channels, samples))

    def stop_microphone(self) -> None:
        """The browser's microphone was closed."""
        self._send(messages.MicrophoneStopped())

    def click(self) -> None:
        """Send a click through; the delays come with the readings."""
        self._once(messages.Click())

    def say_aloud(self, name: str, gain: float) -> None:
        """Say one of the spoken sounds in your ears alone."""
        self._once(messages.SayAloud(name, gain))

    def measure_insert(self, stage_id: str) -> None:
        """Measure how long the way of an insert takes."""
        self._once(messages.SendInsertClick(stage_id))

    def fault(self, device: str, fault: str, value: float | None) -> None:
        """Make something go wrong with a stand-in. The names were checked before."""
        self._once(messages.MakeFault(device, fault, value))

    async def hurry(self, seconds: float) -> None:
        """Let so much sound pass as fast as the machine allows (for tests, see ``process.TEST_CLOCK``). A call takes the place of
        an earlier one, which ends with it."""
        self._hurried_until = self.heard_frames + round(seconds * SAMPLE_RATE_HZ)
        restarts = self.restarts
        self._once(messages.Hurry(round(seconds * SAMPLE_RATE_HZ)))
        while self.heard_frames < self._hurried_until and restarts == self.restarts:
            # It waits for whoever reads its sound, and says nothing meanwhile.
            self._silence.heard()
            await asyncio.sleep(0.01)

    def _once(self, message: messages.ToEngine) -> None:
        if not self._send(message):
            self._say("The audio process did not take that. Wait a moment, and try again.")

    def _say(self, text: str, about: str = "") -> None:
        self._bus.publish(ForUser(text, about))

    def _send(self, message: messages.ToEngine) -> bool:
        if self._end and self._is_ready:
            with contextlib.suppress(OSError):
                return messages.send(self._end, message)
        return False

    # --- the process -----------------------------------------------------------------------------

    def _launch(self) -> None:
        spawned, self._spawned = self._spawned or spawn(self.memory), None
        self._process, ours = spawned.process, spawned.end
        self._end = ours
        self._is_ready = False
        self.seen_number = 0
        self._ready_at = 0.0
        self._unseen_since = time.monotonic()
        self._silence.begin()
        # It waits in the socket: a pipe that is not read yet could hold us up.
        with contextlib.suppress(OSError):  # It has ended already: that is seen as with any other.
            self._base, self._tried = self._plan, {}
            messages.send(ours, messages.NewPlan.of(self._plan))
        asyncio.get_running_loop().add_reader(ours, self._read)

    def _read(self) -> None:
        """Take some of what waits; the rest has its turn later."""
        assert self._end
        end = self._end
        seen: messages.Seen | None = None
        try:
            for _ in range(TAKEN_AT_ONCE):
                message = messages.receive_from_engine(end)
                match message:
                    case None:
                        break
                    case messages.Seen():
                        seen = message  # Of several, the newest says it all.
                    case messages.Said(text):
                        self._say(text)
                    case messages.InsertMeasured():
                        self._bus.publish(message)
                    case messages.Ready():
                        self._is_ready = True
                        self._ready_at = self._unseen_since = time.monotonic()
                        self._send_plan()
                        if self._is_said_lost:
                            self._is_said_lost = False
                            self._bus.publish(ForUser(BACK, PROCESS, is_over=True))
                self._silence.heard()
        except EOFError:
            asyncio.get_running_loop().remove_reader(end)
            self._is_ready = False
        except msgspec.MsgspecError:  # One bad message must not end the link to the engine.
            log.exception("a message of the audio process could not be understood")
        else:
            if end.has_more:  # The system does not tell of these any more.
                asyncio.get_running_loop().call_soon(self._read_more, end)
        if seen:
            self.seen_number, self.heard_frames = seen.plan, seen.end_frame
            self._follow_plan()
            self._bus.publish(seen)

    def _read_more(self, end: Packets) -> None:
        if end is self._end:
            self._read()

    async def _watch_over(self) -> None:
        while not self._is_stopping:
            await asyncio.sleep(SEND_AGAIN_S)
            try:
                await self._look_after()
            except Exception:  # Whatever it was, the next look may mend it.
                log.exception("the audio process could not be looked after")

    async def _look_after(self) -> None:
        """Send again what was not taken, and put another process in the place of one that is lost."""
        self._follow_plan()
        assert self._process
        if self._process.poll() is None and not self._is_hung():
            return
        log.warning(
            "audio process lost (exit code %s), starting it again", self._process.returncode
        )
        has_lived = 0.0 < self._ready_at < time.monotonic() - LIVED_S
        self._lost_in_a_row = 1 if has_lived else self._lost_in_a_row + 1
        self._ready_at = 0.0
        was_there = self._end is not None
        await self._put_away()
        if was_there:
            self._is_said_lost = True
            self._say("The audio process stopped. It is started again with your settings.", PROCESS)
        self.restarts += 1
        await asyncio.sleep(min(LONGEST_PAUSE_S, FIRST_PAUSE_S * self._lost_in_a_row))
        try:
            self._launch()
        except TimelineLost as error:
            # The one that is gone is found lost at the next look, and so this is tried again.
            if was_there:
                self._say(f"{error} It is tried again and again.", PROCESS)

    def _is_hung(self) -> bool:
        """Whether it has said nothing for so long that nothing more is to be expected of it."""
        assert self._process
        patience_s = SILENT_S if self._is_ready else START_S
        return self._silence.is_hung(self._process.pid, patience_s) and not self._has_waiting()

    def _has_waiting(self) -> bool:
        """Whether the engine has spoken and it is we who are slow."""
        return bool(self._end and select.select([self._end], [], [], 0)[0])

    async def _put_away(self) -> None:
        if self._end:
            with contextlib.suppress(ValueError, OSError):
                asyncio.get_running_loop().remove_reader(self._end)
            self._end.close()
            self._end = None
        self._is_ready = False
        process = self._process
        if process:
            await see_end(process, ENDS_S)


def _named(path: Path | None) -> str | None:
    return None if path is None else str(path)
