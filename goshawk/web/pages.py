"""The open pages, and what all of them are told."""

from typing import Any, Literal

from goshawk.bus import Bus
from goshawk.observer import requests
from goshawk.page_messages.live import Notice
from goshawk.web.events import (
    ComputerChanged,
    Notified,
    PageMessage,
    RecordingShown,
    RigHeard,
    StateChanged,
    WatchShown,
)
from goshawk.web.live_page import LivePage
from goshawk.web.window_state import WindowState


class Pages:
    """All that are open. What services publish for them is sent here."""

    def __init__(self, state: WindowState, bus: Bus) -> None:
        self._state = state
        self._open: set[LivePage] = set()
        bus.subscribe(RigHeard, self._tell_rig)
        for kind in (StateChanged, ComputerChanged):
            bus.subscribe(kind, self._tell_state)
        bus.subscribe(Notified, self._say)
        bus.subscribe(requests.Notify, self._say_for_observer)
        bus.subscribe(PageMessage, self._pass_on)
        bus.subscribe(RecordingShown, self._show_recording)
        bus.subscribe(WatchShown, self._show_watch)

    def __bool__(self) -> bool:
        return bool(self._open)

    @property
    def are_shown(self) -> bool:
        """Whether any page is visible."""
        return any(page.is_shown for page in self._open)

    def add(self, page: LivePage) -> None:
        """One more."""
        self._open.add(page)

    def discard(self, page: LivePage) -> None:
        """One is gone."""
        page.is_open = False
        self._open.discard(page)

    def tell(self, message: str, kind: str = "") -> None:
        """A message for all; with a kind, the next of that kind takes its place where it still waits."""
        for page in self._open:
            if kind:
                page.tell_newest(kind, message)
            else:
                page.tell(message)

    def _tell_state(self, _: Any = None) -> None:
        if self._open:
            self.tell(self._state.make().model_dump_json())

    def _tell_rig(self, said: RigHeard) -> None:
        if said.tried is None:
            self._tell_state()
        elif self._open:
            self.tell(self._state.tried(said.tried).model_dump_json())

    def _say(self, said: Notified) -> None:
        self.tell(notice(said.text, said.level, said.about))
        self._tell_state()

    def _say_for_observer(self, said: requests.Notify) -> None:
        self._say(Notified(said.text, said.level))

    def _pass_on(self, said: PageMessage) -> None:
        self.tell(said.text, said.kind)

    def _show_recording(self, said: RecordingShown) -> None:
        self.tell(said.state.model_dump_json(), "recording")

    def _show_watch(self, said: WatchShown) -> None:
        self.tell(said.state.model_dump_json(), "watch")


def notice(text: str, level: str, about: str = "") -> str:
    """A sentence as the message that it becomes."""
    kind: Literal["news", "trouble"] = "trouble" if level == "trouble" else "news"
    return Notice(level=kind, text=text, about=about).model_dump_json()
