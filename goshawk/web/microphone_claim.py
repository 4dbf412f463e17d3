"""Which page's microphone is heard: the last that gave it."""

from collections.abc import Callable

from goshawk.engine.client import EngineClient
from goshawk.web.points import Listener


class MicrophoneClaim:
    """Passes one page's microphone on to the audio process."""

    def __init__(
        self, engine: Callable[[], EngineClient], notify: Callable[[str, str], None]
    ) -> None:
        self._engine, self._notify = engine, notify
        self._owner: Listener | None = None

    def claim(self, listener: Listener) -> None:
        """A page gives its microphone."""
        if self._owner not in (None, listener):
            self._notify("Another window's microphone is used now.", "news")
            self._engine().stop_microphone()
        self._owner = listener

    def push(self, listener: Listener, rate_hz: int, channels: int, samples: bytes) -> None:
        """Sound of a page's microphone; ignored if another page's is used."""
        if listener is self._owner:
            self._engine().push_microphone(rate_hz, channels, samples)

    def release(self, listener: Listener) -> bool:
        """A page closes its microphone; False if it had given none."""
        if listener is not self._owner:
            return False
        self._owner = None
        self._engine().stop_microphone()
        return True
