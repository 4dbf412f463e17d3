"""Every rule of the time on air, caused with the stand-ins: it begins, is told once, ends, and says when; and it stays quiet where it
must. The whole of Goshawk but its web, as fast as it goes."""

import asyncio
import json
from typing import Any

import numpy as np
import pytest

from goshawk.core.rig import Rig, changed_together
from goshawk.core.rules.health.event import Event
from goshawk.core.watch.evening_meter import EveningMeter
from goshawk.engine.plan import Plan
from goshawk.observer import wishes
from goshawk.observer.desk import Desk
from goshawk.observer.figures import levels_of
from tests.playing import Playing

FIGURES_EVERY_S = 1.0


async def _nothing(what: Any) -> None: ...


class OnAir:
    """A rig that plays, on air from the beginning."""

    def __init__(self, rig: Rig | None = None, hears_slowly: bool = False) -> None:
        self.rig = changed_together(rig or Rig(), {"block_frames": 1024})
        self.number = 1
        self.playing = Playing(Plan(number=1, rig=self.rig))
        self.events: dict[int, Event] = {}
        self.told: list[str] = []
        self.seconds: list[dict[str, float]] = []
        self.now_s = 0.0
        self._hears_slowly = hears_slowly
        begin = wishes.Begin(
            "", "", self.rig.model_dump_json().encode(), b"{}", None, wishes.Watch("tonight", 0.0)
        )
        self.desk = Desk(self.playing.memory, begin, self._hear, _nothing)
        self._tell()

    def _hear(self, said: wishes.FromObserver) -> None:
        if isinstance(said, wishes.Watched):
            self.now_s = said.at_s
            self.told += [said.aloud] if said.aloud else []
            for packed in said.events:
                one = Event.model_validate_json(packed)
                self.events[one.number] = one
            if said.second:
                self.seconds.append(json.loads(said.second)["values"])

    def _tell(self) -> None:
        self.desk.follow(wishes.Follow(self.rig.model_dump_json().encode(), None))

    def change(self, **changes: Any) -> float:
        """Other settings from now on (``__`` stands for a dot); when that was."""
        self.rig = changed_together(
            self.rig, {path.replace("__", "."): value for path, value in changes.items()}
        )
        self.number += 1
        self.playing.obey(Plan(number=self.number, rig=self.rig))
        self._tell()
        return self.desk.watching._maker.now_s

    def pass_by(self, seconds: float) -> float:
        """Let time pass; where the evening stands."""
        asyncio.run(self._pass_by(seconds))
        return self.desk.watching._maker.now_s

    async def _pass_by(self, seconds: float) -> None:
        for n in range(round(seconds * 10)):
            self.playing.pass_by(0.1)
            self.desk.take_in()
            while self.desk.watching.is_reading_words:
                await asyncio.sleep(0.002)
            if n % round(FIGURES_EVERY_S * 10) == 0 and self.desk.newest is not None:
                figures = self.desk.figures
                if self._hears_slowly:
                    await figures.listen_slowly(self.rig)
                levels = levels_of(figures.snapshot(self.desk.newest, self.rig))
                figures.levels = levels
                self.desk.watching.figured(levels, "")

    def of(self, rule: str) -> list[Event]:
        return [one for one in self.events.values() if one.rule == rule]


def test_talk_while_muted_is_told_after_three_seconds_of_speech_and_once() -> None:
    on_air = OnAir()
    on_air.pass_by(6.0)
    muted_s = on_air.change(inputs__voice__is_muted=True)
    on_air.pass_by(12.0)
    opened_s = on_air.change(inputs__voice__is_muted=False)
    on_air.pass_by(5.0)
    (event,) = on_air.of("talk_unheard")
    assert event.title == "You talk, but viewers and the call do not hear you"
    assert event.mend
    assert event.mend.changes == {"inputs.voice.is_muted": False}
    assert on_air.told == ["talk_unheard"]
    assert 0.0 <= event.began_s - muted_s < 1.2
    assert event.told_s and event.ended_s
    spoken = sum(one["speech"] for one in on_air.seconds[int(muted_s) : int(event.told_s)])
    assert 2.0 < spoken < 4.0
    assert opened_s - 2.0 < event.ended_s <= opened_s + 0.25
