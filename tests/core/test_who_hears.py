"""Who may hear the microphone, over any sequence of what a user can do: nothing shut, looped or replayed gets out."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from goshawk.core.observed.reach import ReachMeter
from goshawk.core.rig import Rig, changed_together
from goshawk.core.rig_changes import with_stage
from goshawk.core.routing import FEEDS
from goshawk.core.stage import Block
from goshawk.core.who_hears import feeds_leave, replay_gain, send_gain
from goshawk.engine.loop import AudioLoop
from goshawk.engine.plan import Comparing, Plan
from tests.conftest import BARE, RATE_HZ, rig_with, tone
from tests.playing import engine_reading

BLOCK = 256
SHUT_AFTER_S = 0.25
"""A gain that glides shut, and the way through the longest chain that is tried."""

INAUDIBLE = 10 ** (-80 / 20)


class Evening:
    """An engine whose microphones sound, or are silent so that only what plays in their place could be heard; and what
    leaves it for viewers and call."""

    def __init__(self, folder: Path, *, is_live: bool = True) -> None:
        self.is_live = is_live
        sound = tone(400.0, -10, 0.5, channels=2)
        self.loop_path, self.replay_path = str(folder / "loop.npy"), str(folder / "replay.npy")
        np.save(self.loop_path, sound)
        np.save(self.replay_path, np.stack([sound] * 2))
        rig = changed_together(rig_with(**BARE), {"block_frames": BLOCK})
        self.plan = Plan(number=1, rig=rig)
        self.frames = 0
        self.shut_at: dict[str, int | None] = {"viewers": None, "call": None}
        self.reach = ReachMeter()
        self._start()

    def _start(self) -> None:
        self.engine = AudioLoop(self.plan)
        self.engine.rack.read = self._read  # type: ignore[method-assign, assignment]
        self.engine.rack.play = self._take  # type: ignore[method-assign]

    def _read(self, frames: int, used: set[str]) -> dict[str, Block]:
        t = np.arange(self.frames, self.frames + frames) / RATE_HZ
        self.frames += frames
        level = 0.3 if self.is_live else 0.0
        wave = level * np.sin(2 * np.pi * 1000.0 * t)
        block = np.ascontiguousarray(np.repeat(wave[:, None], 2, 1), np.float32)
        return {"attic": block, "laptop": block}

    def _take(self, viewers: Block, you: Block, call: Block, *, is_late: bool) -> None:
        for name, feed in (("viewers", viewers), ("call", call)):
            self.out[name].append(feed.copy())

    def say(self, **changes: object) -> None:
        """A new plan, as the client makes it."""
        self.plan = self.plan.model_copy(update={**changes, "number": self.plan.number + 1})
        assert self.engine.obey(self.plan) == []
        for feed in self.shut_at:
            is_open = (
                send_gain(
                    self.plan.rig,
                    self.plan.rig.inputs[0],
                    feed,  # type: ignore[arg-type]
                    is_coughing=self.plan.is_coughing,
                    playing="loop" if self.plan.loop else "devices",
                )
                > 0.0
            )
            if is_open:
                self.shut_at[feed] = None
            elif self.shut_at[feed] is None:
                self.shut_at[feed] = self.frames

    def set(self, **settings: object) -> None:
        changes = {path.replace("__", "."): value for path, value in settings.items()}
        self.say(rig=changed_together(self.plan.rig, changes))

    def do(self, what: str) -> None:
        rig = self.plan.rig
        voice = rig.inputs[0]
        match what:
            case "mute":
                self.set(inputs__voice__is_muted=not voice.is_muted)
            case "cough":
                self.say(is_coughing=not self.plan.is_coughing)
            case "break":
                self.set(is_on_break=not rig.is_on_break)
            case "send":
                is_heard = voice.sends.viewers.is_heard
                self.set(inputs__voice__sends__viewers__is_heard=not is_heard)
            case "loop":
                path = None if self.plan.loop else self.loop_path
                self.say(loop=path, comparing=Comparing(), replay=None)
            case "compare":
                self.say(comparing=Comparing(heard="raw", gain_db=20.0))
            case "replay":
                names = ("voice", "game")
                path = None if self.plan.replay else self.replay_path
                self.say(replay=path, replay_names=names, loop=None)
            case "loop to replay":
                self.say(loop=None, replay=self.replay_path, replay_names=("voice", "game"))
            case "device":
                other = "laptop" if voice.device == "attic" else "attic"
                self.set(inputs__voice__device=other)
            case "delay":
                self.set(feeds__viewers__delay_ms=500.0 - rig.feeds.viewers.delay_ms)
            case "wait":
                self.set(inputs__voice__delay_ms=400.0 - voice.delay_ms)
            case "longer":
                if len(rig.chain) < 13:
                    self.say(rig=with_stage(rig, "voice", "suppressor", "trim"))
            case "restart":
                self._start()

    def pass_by(self, seconds: float) -> None:
        """Let time pass; what leaves must be what may leave."""
        self.out: dict[str, list[Block]] = {"viewers": [], "call": []}
        began = self.frames
        for _ in range(round(seconds * RATE_HZ / self.plan.rig.block_frames)):
            self.engine.run_block()
        readings = self.engine.take_readings(engine_reading())
        self.reach.push(readings.end_frame, readings.voices)
        for feed, pieces in self.out.items():
            peak = float(np.abs(np.concatenate(pieces)).max())
            if not self.is_live:
                assert peak < INAUDIBLE, f"{feed} heard what is for you alone"
                continue
            delay_s = self.plan.rig.feeds.of(feed).delay_ms / 1000.0  # type: ignore[arg-type]
            shut = self.shut_at[feed]
            # A delay that was just made longer or shorter still gives out what it held.
            if shut is None or began < shut + (SHUT_AFTER_S + max(0.5, delay_s)) * RATE_HZ:
                continue
            assert peak < INAUDIBLE, f"{feed} heard a shut microphone"
            # The lamp is lit by what is measured, and says the same.
            assert self.reach.of(feed) == "closed"  # type: ignore[arg-type]

    def heard(self, feed: str) -> float:
        """The peak of the last 0.2 s."""
        return float(np.abs(np.concatenate(self.out[feed])[-9600:]).max())


DEEDS = (
    "mute", "cough", "break", "send", "loop", "compare", "replay", "loop to replay", "device",
    "delay", "wait", "longer", "restart",
)  # fmt: skip


@settings(max_examples=10)
@given(
    st.lists(st.tuples(st.sampled_from(DEEDS), st.sampled_from((0.1, 0.3, 0.9))), max_size=9),
    st.booleans(),
)
def test_nothing_that_is_shut_looped_or_replayed_gets_out(
    tmp_path_factory: pytest.TempPathFactory, deeds: list[tuple[str, float]], is_live: bool
) -> None:
    evening = Evening(tmp_path_factory.mktemp("evening"), is_live=is_live)
    evening.pass_by(0.3)
    for what, seconds in deeds:
        evening.do(what)
        evening.pass_by(seconds)
    evening.say(loop=None, replay=None)
    evening.pass_by(0.6)
    evening.pass_by(0.6)


@pytest.mark.parametrize("what", ["loop", "replay"])
def test_what_plays_for_you_alone_leaves_nothing_in_a_delayed_feed(
    tmp_path: Path, what: str
) -> None:
    """Half a second of delay once brought half a second of old speech to viewers and call."""
    evening = Evening(tmp_path, is_live=False)
    evening.set(feeds__viewers__delay_ms=500.0, feeds__call__delay_ms=500.0)
    evening.do(what)
    evening.pass_by(1.0)
    evening.do(what)
    evening.pass_by(1.5)
    evening.is_live = True
    evening.pass_by(1.0)
    assert evening.heard("viewers") == pytest.approx(0.3, rel=0.05), "the microphone is back"


@pytest.mark.parametrize("what", ["mute", "cough", "break", "send"])
def test_what_is_said_while_shut_is_not_heard_afterwards(tmp_path: Path, what: str) -> None:
    """A voice that waits 600 ms is opened again: what came in before that stays unheard, what comes after it not."""
    evening = Evening(tmp_path)
    evening.set(inputs__voice__delay_ms=600.0, inputs__voice__sends__call__is_heard=False)
    evening.pass_by(1.0)
    evening.do(what)
    evening.pass_by(1.0)
    evening.is_live = False
    evening.do(what)
    evening.pass_by(1.0)
    evening.is_live = True
    evening.pass_by(1.0)
    assert evening.heard("viewers") == pytest.approx(0.3, rel=0.05)


def test_a_shut_engine_starts_shut(tmp_path: Path) -> None:
    """A restart during a cough: not one block is heard before the plan is."""
    evening = Evening(tmp_path)
    evening.say(is_coughing=True)
    evening.pass_by(1.0)
    evening.do("restart")
    evening.pass_by(0.2)
    for pieces in evening.out.values():
        assert np.abs(np.concatenate(pieces)).max() < INAUDIBLE


def test_while_a_loop_plays_no_voice_goes_to_anybody_else() -> None:
    rig = changed_together(Rig(), {f"inputs.voice.sends.{feed}.is_heard": True for feed in FEEDS})
    voice, game = rig.inputs[:2]
    gains = {feed: send_gain(rig, voice, feed, playing="loop") for feed in FEEDS}
    assert gains == {"viewers": 0.0, "you": 1.0, "call": 0.0, "archive": 0.0}
    assert send_gain(rig, game, "viewers", playing="loop") > 0.0
    assert [feeds_leave(playing) for playing in ("devices", "loop", "replay")] == [
        True,
        True,
        False,
    ]  # type: ignore[arg-type]


def test_your_fader_and_mute_are_part_of_a_replays_one_gain(tmp_path: Path) -> None:
    """They were put on beside it, at once: a mute during a replay clicked."""
    assert replay_gain(
        changed_together(Rig(), {"feeds.you.fader_db": -6.0}), -4.0
    ) == pytest.approx(10**-0.5)
    assert replay_gain(changed_together(Rig(), {"feeds.you.is_muted": True}), -4.0) == 0.0
    path = tmp_path / "replay.npy"
    np.save(path, np.full((1, 4 * RATE_HZ, 2), 0.25, np.float32))
    plan = Plan(rig=Rig(), replay=str(path), replay_names=("game",))
    loop = AudioLoop(plan)

    def last_block() -> float:
        for _ in range(RATE_HZ // 256):
            loop.run_block()
        return float(np.abs(loop._yours[:256]).max())

    assert last_block() > 0.01
    loop.obey(
        plan.model_copy(update={"rig": changed_together(Rig(), {"feeds.you.is_muted": True})})
    )
    loop.run_block(64)
    assert np.abs(loop._yours[:64]).max() > 0.005, "it glides"
    assert last_block() < INAUDIBLE
