"""Which page's microphone is heard: the last that gave it."""

from goshawk.core.device_info import info_of
from goshawk.devices.catalog import DEVICES
from goshawk.engine.client import EngineClient
from goshawk.web.notices import Notices
from goshawk.web.points import Listener
from goshawk.web.rig_desk import RigDesk


class MicrophoneClaim:
    """Passes one page's microphone on to the audio process."""

    def __init__(self, engine: EngineClient, desk: RigDesk, notices: Notices) -> None:
        self._engine, self._desk, self._notices = engine, desk, notices
        self._owner: Listener | None = None

    def claim(self, listener: Listener) -> None:
        """A page gives its microphone."""
        if self._owner not in (None, listener):
            self._notices.news("Another window's microphone is used now.")
            self._engine.stop_microphone()
        self._owner = listener

    def push(self, listener: Listener, rate_hz: int, channels: int, samples: bytes) -> None:
        """Sound of a page's microphone; ignored if another page's is used."""
        if listener is self._owner:
            self._engine.push_microphone(rate_hz, channels, samples)

    def release(self, listener: Listener) -> bool:
        """A page closes its microphone; False if it had given none."""
        if listener is not self._owner:
            return False
        self._owner = None
        self._engine.stop_microphone()
        return True

    def leave(self, listener: Listener) -> None:
        """A page's sound link is gone."""
        if self.release(listener) and any(
            info_of(DEVICES, one.device).knobs == "page" for one in self._desk.rig.inputs
        ):
            self._notices.trouble(
                "The browser's microphone is gone. Open it again, or choose another device."
            )
