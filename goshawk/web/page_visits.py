"""Pages that come, look at something, and go. What lasts only as long as somebody looks at it is counted here."""

from typing import Literal

from goshawk.engine.client import EngineClient
from goshawk.errors import GoshawkError
from goshawk.observer import requests
from goshawk.observer.client import ObserverClient
from goshawk.web.broadcasts import Broadcasts
from goshawk.web.cough_key import CoughKey
from goshawk.web.device_control import DeviceControl
from goshawk.web.lamps import ReachLamps
from goshawk.web.live_page import LivePage
from goshawk.web.observer_document import ObserverDocument
from goshawk.web.pages import Pages, notice
from goshawk.web.points import Points
from goshawk.web.record_desk import RecordDesk
from goshawk.web.rig_desk import RigDesk
from goshawk.web.window_state import WindowState

View = Literal["devices", "balance", "checklist", "record"]


class PageVisits:
    """Tells those who make something for a page whether anybody looks at it."""

    def __init__(
        self,
        start_notices: list[str],
        pages: Pages,
        state: WindowState,
        lamps: ReachLamps,
        desk: RigDesk,
        record: RecordDesk,
        broadcasts: Broadcasts,
        devices: DeviceControl,
        points: Points,
        cough_key: CoughKey,
        engine: EngineClient,
        observer: ObserverClient,
        document: ObserverDocument,
    ) -> None:
        self._start_notices = start_notices
        self._pages, self._state, self._lamps = pages, state, lamps
        self._desk, self._record, self._broadcasts = desk, record, broadcasts
        self._devices, self._points, self._cough_key = devices, points, cough_key
        self._engine, self._observer, self._document = engine, observer, document
        self._looking: set[tuple[LivePage, View]] = set()

    def open(self) -> LivePage:
        """A page opens: it gets the state, and what is to be known from the start."""
        page = LivePage()
        page.tell(self._state.make().model_dump_json())
        page.tell(self._lamps.message)
        page.tell(self._record.state.model_dump_json())
        page.tell(self._broadcasts.state.model_dump_json())
        for text in self._start_notices:
            page.tell(notice(text, "trouble"))
        self._pages.add(page)
        self._follow()
        return page

    async def tell_opening(self, page: LivePage) -> None:
        """What a page that has opened has to know of the observer: ten seconds, the sound check, the balance."""
        try:
            for text in await self._observer.ask(requests.Opening()):
                page.tell(text)
        except GoshawkError:
            return  # The observer says all of it when it is there.

    def close(self, page: LivePage) -> None:
        """A page is gone. What it was trying is taken back: nobody would ever save it."""
        self._pages.discard(page)
        self._cough_key.leave(page)
        self._points.watch_stage(page, "")
        self._points.watch_chain(page, "")
        self._looking = {one for one in self._looking if one[0] is not page}
        self._follow()
        self._desk.take_back(page)

    def look(self, page: LivePage, view: View, is_on: bool) -> None:
        """A page shows a view, or no longer."""
        (self._looking.add if is_on else self._looking.discard)((page, view))
        self._follow()

    async def be_shown(self, page: LivePage, is_shown: bool) -> None:
        """Follow a page that is hidden or visible again. One that is visible again gets what it has missed."""
        if is_shown == page.is_shown:
            return
        page.is_shown = is_shown
        self._follow()
        if is_shown:
            await self.tell_opening(page)

    def _is_seen(self, view: View) -> bool:
        return any(one[1] == view and one[0].is_shown for one in self._looking)

    def _follow(self) -> None:
        are_shown = self._pages.are_shown
        self._engine.be_seen(are_shown)
        self._devices.watch(self._is_seen("devices"))
        self._document.show(
            is_balance=self._is_seen("balance"),
            is_checklist=self._is_seen("checklist"),
            has_pages=are_shown,
        )
        begins_with_it = self._is_seen("checklist") and self._desk.set.watch.records
        self._record.be_ready(self._is_seen("record") or begins_with_it)
