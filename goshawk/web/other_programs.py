"""What other programs on this computer are told of an evening, and the silence they may ask for: a lamp, a key pad."""

import asyncio
import json
from collections.abc import AsyncIterator
from datetime import datetime
from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from goshawk.bus import Bus
from goshawk.core.routing import FeedName
from goshawk.core.rules.health.event import Event
from goshawk.errors import BadInput
from goshawk.web.broadcasts import Broadcasts
from goshawk.web.changes import Changes
from goshawk.web.cough_key import CoughKey
from goshawk.web.events import WatchShown
from goshawk.web.lamps import ReachLamps
from goshawk.web.live_page import LivePage
from goshawk.web.newest_figures import NewestFigures
from goshawk.web.record_desk import RecordDesk
from goshawk.web.rig_desk import RigDesk

MOST_LISTENING = 16
EVERY_S = 0.5
KEEPS_ALIVE_S = 15.0
COUGH_HOLDS_S = 10.0
"""A cough that is not asked for again ends by itself: a program that died must not leave the microphone shut."""


class WatchFacts(BaseModel):
    """How it stands now. ``reach`` is measured: "hears" (a voice arrives), "open" (it would), "closed"; "unknown" where nothing was
    measured in the last second."""

    is_on_air: bool
    started_utc: datetime | None
    seconds: float
    reach: dict[FeedName, str]
    is_muted: bool
    is_on_break: bool
    is_coughing: bool
    is_recording: bool
    clearance_db: dict[str, float | None]
    voice_peaks_dbfs: float | None
    loudness_lufs: float | None
    told: Event | None


class SilenceAsked(BaseModel):
    """What is to be silent, or not: what is left out stays as it is. A cough ends after ten seconds unless it is asked for again."""

    model_config = ConfigDict(extra="forbid")
    mute: bool | None = Field(None, description="The main voice, for everybody.")
    on_break: bool | None = Field(None, description="Viewers hear only the music.")
    cough: bool | None = Field(None, description="All voices, for a moment.")


class OtherPrograms:
    """Whoever listens gets the newest facts whenever they are others; who is slow misses some, and none waits."""

    def __init__(
        self,
        broadcasts: Broadcasts,
        desk: RigDesk,
        changes: Changes,
        record: RecordDesk,
        figures: NewestFigures,
        lamps: ReachLamps,
        cough_key: CoughKey,
        bus: Bus,
    ) -> None:
        self._broadcasts, self._desk, self._changes = broadcasts, desk, changes
        self._record, self._figures = record, figures
        self._lamps, self._cough_key = lamps, cough_key
        self._wake: set[asyncio.Event] = set()
        self._is_over = False
        self._holder = LivePage()
        self._cough_ends: asyncio.TimerHandle | None = None
        bus.subscribe(WatchShown, self._follow)

    @property
    def facts(self) -> WatchFacts:
        """How it stands now."""
        state, rig = self._broadcasts.state, self._desk.rig
        levels: dict[str, Any] = json.loads(self._figures.text or "{}")
        return WatchFacts(
            is_on_air=state.stage == "on_air",
            started_utc=state.started_utc,
            seconds=state.seconds,
            reach=self._lamps.reach,
            is_muted=rig.voice is None or rig.voice.is_muted,
            is_on_break=rig.is_on_break,
            is_coughing=self._cough_key.is_held,
            is_recording=self._record.state.stage == "running",
            clearance_db=levels.get("clearance_db", {}),
            voice_peaks_dbfs=levels.get("peaks_dbfs", {}).get(rig.chained),
            loudness_lufs=levels.get("short_term_lufs"),
            told=state.told,
        )

    def _follow(self, _: WatchShown) -> None:
        self.changed()

    def changed(self) -> None:
        """Something is another: whoever listens looks anew."""
        for one in self._wake:
            one.set()

    async def tell_on(self) -> None:
        """For ever: what changes by itself is looked at twice a second, while anybody listens."""
        while True:
            await asyncio.sleep(EVERY_S)
            if self._wake:
                self.changed()

    def end(self) -> None:
        """The program ends."""
        self._is_over = True
        self.changed()

    def check_room(self) -> None:
        """Raises BadInput where too many listen."""
        if len(self._wake) >= MOST_LISTENING:
            raise BadInput(f"{MOST_LISTENING} programs listen already. End one first.")

    async def events(self, end: asyncio.Event) -> AsyncIterator[str]:
        """Server-sent events, until ``end`` is set: the facts, each time that they are others."""
        wake = asyncio.Event()
        self._wake.add(wake)
        last, quiet_s = "", 0.0
        try:
            while not (self._is_over or end.is_set()):
                text = self.facts.model_dump_json()
                if text != last:
                    last, quiet_s = text, 0.0
                    yield f"event: watch\ndata: {text}\n\n"
                elif quiet_s >= KEEPS_ALIVE_S:
                    quiet_s = 0.0
                    yield ": all as it was\n\n"
                wake.clear()
                await wake.wait()  # Twice a second at least, while anybody listens.
                quiet_s += EVERY_S
        finally:
            self._wake.discard(wake)

    async def silence(self, asked: SilenceAsked) -> None:
        """Mute, break or cough. Raises BadInput, StoreUnusable: what could not be saved is silent all the same."""
        if asked.cough is not None:
            self._cough(asked.cough)
        changes: dict[str, Any] = {}
        voice = self._desk.rig.voice
        if asked.mute is not None:
            if voice is None:
                raise BadInput("There is no main voice to mute. Choose one in Wiring.")
            changes[f"inputs.{voice.id}.is_muted"] = asked.mute
        if asked.on_break is not None:
            changes["is_on_break"] = asked.on_break
        if changes:
            await self._changes.set_together(changes)
        self.changed()

    def _cough(self, is_on: bool) -> None:
        if self._cough_ends:
            self._cough_ends.cancel()
            self._cough_ends = None
        self._cough_key.hold(self._holder, is_on)
        if is_on:
            loop = asyncio.get_running_loop()
            self._cough_ends = loop.call_later(COUGH_HOLDS_S, self._cough, False)
