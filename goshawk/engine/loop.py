"""What the audio process does with each block: no clock and no socket here, so that it can be driven
by a test or a benchmark as well as by time."""

from pathlib import Path
from typing import Any

import numpy as np

from goshawk.core.graph.mixer import Mixer
from goshawk.core.rig import BlockFrames, Rig
from goshawk.core.stage import Block
from goshawk.devices.attic import Attic
from goshawk.devices.base import InputDevice, LoopDevice, SilentDevice
from goshawk.devices.browser import BrowserMicrophone
from goshawk.devices.file import FileMicrophone
from goshawk.devices.sounds import load_sound

MAX_FRAMES = 1024


class AudioLoop:
    """Devices and mixer of one rig."""

    def __init__(self, rig: Rig) -> None:
        self._attic = Attic()
        self.browser = BrowserMicrophone()
        self._file: FileMicrophone | SilentDevice = SilentDevice("no file")
        self._game, self._music = LoopDevice(load_sound("game")), LoopDevice(load_sound("music"))
        self._buffers = {
            name: np.zeros((MAX_FRAMES, 2), np.float32) for name in ("microphone", "game", "music")
        }
        self._mixer = Mixer(rig, MAX_FRAMES)
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
        self._attic.perform(rig.microphone.performance)
        self._attic.set_preamp_gain_db(rig.microphone.preamp_gain_db)
        if isinstance(self._file, FileMicrophone):
            self._file.is_looped = rig.microphone.is_looped

    def play_file(self, path: Path | None) -> None:
        """Play prepared samples as the microphone, from their beginning; None takes the file away."""
        self._file = (
            FileMicrophone(path, self.rig.microphone.is_looped) if path else SilentDevice("no file")
        )

    def _microphone(self) -> InputDevice:
        match self._mixer.rig.microphone.source:
            case "browser":
                return self.browser
            case "file":
                return self._file
            case _:
                return self._attic

    def _warm_up(self) -> None:
        """Compile every kernel now, rather than in the first live block."""
        self.browser.push(44_100, np.zeros((8000, 2), np.float32))
        self.browser.read(np.zeros((16, 2), np.float32))
        self.browser.stop()
        for _ in range(8):
            self.run_block()
        self.take_readings()
        self._mixer = Mixer(self.rig, MAX_FRAMES)

    def run_block(self) -> Block:
        """Read every device, mix, and return the Viewers feed: a view, shape (block_frames, 2)."""
        frames = self.block_frames
        microphone, game, music = (buffer[:frames] for buffer in self._buffers.values())
        device = self._microphone()
        if device.channels == 1:
            device.read(microphone[:, :1])
            microphone[:, 1] = microphone[:, 0]
        else:
            device.read(microphone)
        self._game.read(game)
        self._music.read(music)
        return self._mixer.process(microphone, game, music)

    def take_readings(self) -> dict[str, Any]:
        """The mixer's readings and how the microphone's device does."""
        readings = self._mixer.take_readings()
        readings["microphone"] = self._microphone().status()
        return readings
