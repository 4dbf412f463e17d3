"""What the audio process does with each block: no clock and no socket here, so that it can be driven
by a test or a benchmark as well as by time."""

import time
from pathlib import Path
from typing import Any

import numpy as np

from goshawk.core.chain_slots import Chain
from goshawk.core.graph.chain import warm_up_stages
from goshawk.core.graph.comparison import Heard
from goshawk.core.graph.mixer import Mixer
from goshawk.core.measure.click import ClickListener
from goshawk.core.rig import BlockFrames, Rig, changed_together
from goshawk.core.stage import Block, Floats, Glide, glide, kernel
from goshawk.core.wiring import FEEDS, CallServiceSettings, FeedName
from goshawk.devices.rack import Rack
from goshawk.units import SAMPLE_RATE_HZ, db_to_linear, frames_to_ms

MAX_FRAMES = 1024
STAGE_POINTS = ("before", "after", "removed")
CLICK_PATIENCE_S = 1.6
"""The longest feed delay and room for the rest."""


@kernel
def _scale(
    block: Block, out: Block, now: Floats, between: Floats, target: Floats, a: float
) -> None:
    for n in range(block.shape[0]):
        glide(now, between, target, a)
        for c in range(block.shape[1]):
            out[n, c] = np.float32(block[n, c] * now[0])


class AudioLoop:
    """Devices and mixer of one rig."""

    def __init__(self, rig: Rig) -> None:
        self.rack = Rack(MAX_FRAMES)
        self._clicks: dict[FeedName, ClickListener] = {}
        self._measured: dict[str, Any] | None = None
        self._mixer = Mixer(rig, MAX_FRAMES, time.perf_counter)
        self._silence = np.zeros((MAX_FRAMES, 2), np.float32)
        self._rehearsal = np.zeros((MAX_FRAMES, 2), np.float32)
        self._rehearsal_gain = Glide(1)
        self._rehearsal_gain.set(1.0)
        self.apply(rig)
        self._warm_up()

    @property
    def rig(self) -> Rig:
        return self._mixer.rig

    @property
    def block_frames(self) -> BlockFrames:
        return self._mixer.rig.block_frames

    def apply(self, rig: Rig) -> None:
        """Take a new rig between two blocks."""
        self._mixer.apply(rig)
        self.rack.apply(rig)

    def cough(self, is_coughing: bool) -> None:
        """Silence the voices while a key is held."""
        self._mixer.cough(is_coughing)

    def play_file(self, path: Path | None) -> None:
        """Play prepared samples as the file device."""
        self.rack.play_file(path, self.rig.devices.file.is_looped)

    def set_loop(self, path: Path | None) -> None:
        """Play a piece of raw microphone in its place, to you alone; None: the microphone again."""
        self._mixer.set_loop(np.load(path, mmap_mode="r") if path else None)

    def set_replay(self, path: Path | None, names: list[str]) -> None:
        """Play recorded inputs in place of all devices, to you alone, as viewers would hear them: an array of
        shape (inputs, frames, 2) and the inputs' ids; None: the devices again."""
        if path is None:
            self._mixer.set_replay(None)
            return
        sounds = np.load(path, mmap_mode="r")
        self._mixer.set_replay(dict(zip(names, sounds, strict=True)))

    def set_replay_gain(self, gain_db: float) -> None:
        """How loudly you hear the replay: what makes two balances equally loud."""
        self._rehearsal_gain.set(db_to_linear(gain_db))

    def set_held(self, held_db: dict[str, float]) -> None:
        """What holds add to the trims."""
        self._mixer.set_held(held_db)

    def compare(self, heard: Heard, gain_db: float, other: Chain | None) -> None:
        """While a loop plays: hear it through the chain, raw, or through another chain."""
        self._mixer.compare(heard, gain_db, other)

    def set_points(self, points: list[str]) -> None:
        """Where somebody listens: stages whose sound must be kept are among them."""
        parts = [point.partition(":") for point in points]
        self._mixer.watch(frozenset(name for kind, _, name in parts if kind in STAGE_POINTS))

    def send_click(self) -> None:
        """Send a click through, to measure the delay to every feed."""
        self._clicks = {feed: ClickListener(MAX_FRAMES) for feed in FEEDS}
        self.rack.click()

    def _warm_up(self) -> None:
        """Compile every kernel now, rather than in the first live block: those, too, that run only when
        something changes or a device's switch is on."""
        warm_up_stages()
        self.rack.browser.push(44_100, np.zeros((8000, 2), np.float32))
        self.rack.is_watched = True
        self.send_click()
        everything_on = {
            "feeds.you.output": "loudspeakers",
            **{f"devices.call_service.{name}": True for name in CallServiceSettings.model_fields},
        }
        rig = self.rig
        for one in (rig, changed_together(rig, everything_on), rig):
            self.apply(one)
            for _ in range(4):
                self.run_block()
        self._mixer.set_loop(np.zeros((4800, 2), np.float32))
        self._mixer.compare("raw", 0.0, rig.chain)
        self.run_block()
        self._mixer.set_replay({one.id: np.zeros((4800, 2), np.float32) for one in rig.inputs})
        self.run_block()
        self.take_readings()
        self.take_rows()
        self._clicks = {}
        self.rack.browser.stop()
        self.rack.is_watched = False
        self._mixer = Mixer(self.rig, MAX_FRAMES, time.perf_counter)

    def run_block(self, *, is_late: bool = False) -> None:
        """Read every device, mix, and give the feeds to the outputs."""
        frames = self.block_frames
        mixer = self._mixer
        mixer.process(self.rack.read(frames, mixer.devices), frames)
        feed = mixer.feed
        if self._clicks:
            self._listen_for_click(frames)
        if mixer.is_replaying:
            nothing = self._silence[:frames]
            self.rack.play(nothing, self._rehearsed(frames), nothing, is_late=is_late)
            return
        self.rack.play(
            feed("viewers", frames), feed("you", frames), feed("call", frames), is_late=is_late
        )

    def _rehearsed(self, frames: int) -> Block:
        """What viewers would get, for your ears."""
        block, g, you = self._rehearsal[:frames], self._rehearsal_gain, self.rig.feeds.you
        _scale(
            self._mixer.feed("viewers", frames), block, g.now, g.between, g.target, g.coefficient
        )
        block *= np.float32(0.0 if you.is_muted else db_to_linear(you.fader_db))
        return block

    def point(self, name: str) -> Block:
        """The last block as one listener heard it, of one input (``input:`` and its id), or at a stage
        (one of STAGE_POINTS, a colon and its id)."""
        kind, _, item = name.partition(":")
        if kind == "input":
            return self._mixer.input(item, self.block_frames)
        if kind in STAGE_POINTS:
            return self._mixer.stage_sound(kind, item, self.block_frames)
        return self._mixer.feed(next(f for f in FEEDS if f == name), self.block_frames)

    def _listen_for_click(self, frames: int) -> None:
        for feed, listener in self._clicks.items():
            listener.listen(self._mixer.feed(feed, frames))
        heard = self._clicks["viewers"].heard_frames
        if heard >= CLICK_PATIENCE_S * SAMPLE_RATE_HZ:
            blocks_ms = 2.0 * frames_to_ms(self.block_frames)
            self._measured = {
                feed: None
                if (at := listener.found_frame()) is None
                # One block passes before the engine has the click, and one before it is played.
                else round(frames_to_ms(at) + blocks_ms, 2)
                for feed, listener in self._clicks.items()
            }
            self._clicks = {}

    def _ledgers(self) -> dict[str, list[tuple[str, float]]]:
        """Name and ms of everything between the air and each listener, in order."""
        voice = self.rig.voice
        coming = self.rack.latency_parts(voice.device) if voice else []
        going = ("out, one block", frames_to_ms(self.block_frames))
        return {
            feed: [
                *coming,
                *((name, frames_to_ms(frames)) for name, frames in self._mixer.ledger(feed)),
                going,
            ]
            for feed in FEEDS
        }

    def take_rows(self) -> dict[str, Any]:
        """The inputs' sound since the last call (see the mixer)."""
        return self._mixer.take_rows()

    def take_readings(self) -> dict[str, Any]:
        """The mixer's readings, how the devices do, the delays, and a delay that was measured."""
        readings = self._mixer.take_readings()
        readings["ledgers"] = self._ledgers()
        readings["devices"] = self.rack.statuses()
        readings["encoder"] = self.rack.encoder.status()
        readings["measured_delay_ms"], self._measured = self._measured, None
        return readings
