"""Signals and judges that several tests use."""

import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import settings
from numpy.typing import NDArray

from goshawk.core.chain_slots import default_chain
from goshawk.core.graph.mixer import Mixer
from goshawk.core.rig import Rig, changed_together
from goshawk.core.routing import FeedName
from goshawk.core.stage import Block, Stage
from goshawk.devices.attic import Interface, Room
from goshawk.devices.opener import Opener
from goshawk.model_file import give_weights

RATE_HZ = 48_000
give_weights()
os.environ["PULSE_SERVER"] = "/nonexistent"  # no test meets the sound server of this computer
settings.register_profile("goshawk", deadline=None)  # machines are noisy: no test asserts time
settings.load_profile("goshawk")


LONGEST_FIRST = (
    "server/test_the_whole.py", "observer/test_watching.py", "server/test_recordings.py", "server/test_sound_server.py",
    "server/test_watch.py", "core/test_sound_check.py", "observer/test_findings.py", "cli/test_cli.py", "web/test_api.py",
    "core/dsp/test_suppressor.py", "recorder/test_report.py",
)  # fmt: skip
"""Files shared out among processes: those that take longest begin, so that none of them is left alone at the end; of the first
three one computes and two mostly wait."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    if "PYTEST_XDIST_WORKER" in os.environ:
        here = Path(__file__).parent
        place = {here / name: place for place, name in enumerate(LONGEST_FIRST)}
        items.sort(key=lambda item: place.get(item.path, len(place)))


def some_each_day(cases: list[Any], *chosen: Any) -> list[Any]:
    """Cases of a test: those chosen are run every day, the others with the endurance part."""
    return [
        one
        if one in chosen
        else pytest.param(*(one if isinstance(one, tuple) else (one,)), marks=pytest.mark.endurance)
        for one in cases
    ]


def tone(hz: float, dbfs: float, seconds: float, *, channels: int = 1, phase: float = 0.0) -> Block:
    """A sine whose peak is at ``dbfs``."""
    t = np.arange(round(seconds * RATE_HZ)) / RATE_HZ
    wave = 10 ** (dbfs / 20) * np.sin(2 * np.pi * hz * t + phase)
    return np.ascontiguousarray(np.repeat(wave[:, None], channels, 1), np.float32)


def run(stage: Stage, sound: Block, block_frames: int = 256) -> Block:
    """The sound after a stage, cut into blocks."""
    out = sound.copy()
    for start in range(0, len(out), block_frames):
        stage.process(out[start : start + block_frames])
    return out


def peak_db(sound: NDArray[np.floating]) -> float:
    return float(20 * np.log10(np.max(np.abs(sound)) + 1e-12))


def random_sound(seed: int, seconds: float = 0.5, channels: int = 1) -> Block:
    """Bursts of noise at changing levels: everything a stage reacts to."""
    random = np.random.default_rng(seed)
    frames = round(seconds * RATE_HZ)
    level = 10 ** (np.repeat(random.uniform(-70, 6, 20), frames // 20 + 1)[:frames] / 20)
    return (random.standard_normal((frames, channels)) * level[:, None] * 0.3).astype(np.float32)


class AtticMicrophone:
    """The room and the interface together, as a device that can be asked for any length."""

    def __init__(self) -> None:
        self._room = Room(RATE_HZ)
        self._interface = Interface(self._room)
        self.perform = self._room.perform
        self.set_preamp_gain_db = self._interface.set_preamp_gain_db

    def read(self, sound: Block) -> None:
        for start in range(0, len(sound), 480):
            block = sound[start : start + 480]
            self._room.hear(np.zeros_like(block))
            self._interface.read(block)


def rig_with(**values: Any) -> Rig:
    """The demo's rig with settings changed; dots in a path are written as two underscores."""
    changes = {path.replace("__", "."): value for path, value in values.items()}
    return changed_together(Rig(), changes) if changes else Rig()


BARE = {f"inputs__voice__chain__{slot.id}__is_bypassed": True for slot in default_chain()}
"""Every stage of the demo's chain bypassed."""


def mix(
    mixer: Mixer | Rig, sound: dict[str, Block], frames: int = 256, feed: FeedName = "viewers"
) -> Block:
    """A feed, from sound by device; devices that are not given are silent."""
    if isinstance(mixer, Rig):
        mixer = Mixer(mixer, 1024)
    length = min(len(one) for one in sound.values())
    out = []
    for start in range(0, length, frames):
        piece = {name: one[start : start + frames].copy() for name, one in sound.items()}
        count = min(frames, length - start)
        mixer.process(piece, count)
        out.append(mixer.feed(feed, count).copy())
    return np.concatenate(out)


@pytest.fixture(autouse=True)
def nobody_opens_devices_afterwards(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """A loop that a test has made may look for a sound server for ever, in a thread that another test would meet."""
    made: list[Opener] = []
    begin = Opener.__init__

    def noted(self: Opener) -> None:
        begin(self)
        made.append(self)

    monkeypatch.setattr(Opener, "__init__", noted)
    yield
    for one in made:
        one.close()


@pytest.fixture(scope="session")
def attic_talk() -> Block:
    """Six seconds of the demo's storyteller in the attic, two channels."""
    attic = AtticMicrophone()
    attic.perform("talk")
    attic.set_preamp_gain_db(36.0)
    sound = np.zeros((6 * RATE_HZ, 2), np.float32)
    attic.read(sound)
    return sound
