"""The report of an evening: what it came to, what happened, what was changed, and what to do next time."""

from datetime import datetime, timedelta
from typing import Any, Literal

from pydantic import BaseModel

from goshawk.core.measure.intelligibility import GOOD_SII
from goshawk.core.recording.document import Figures, Mark, changes_between
from goshawk.core.rig import Rig
from goshawk.core.rules.balance import CLEARANCE_TOLERANCE_DB
from goshawk.core.rules.health.event import Event
from goshawk.core.setting_words import setting_in_words
from goshawk.core.text import report as text
from goshawk.core.watch.second import CALL, SPEECH, VIEWERS, BroadcastHistory
from goshawk.core.watch_settings import RuleName

REPORT_FORMAT: Literal["goshawk-evening"] = "goshawk-evening"
LOUDNESS_TOLERANCE_LU = 1.0
MOST_ADVICE = 6


class SettingsChange(BaseModel):
    """What was changed while on air, and when; ``settings`` by their paths, or nothing where the rig became another one."""

    at_s: float
    settings: dict[str, Any]


class Differences(BaseModel):
    """What was set otherwise than on the evening before: the new values by their paths, or (``is_other``) a rig with other
    inputs, outputs or stages."""

    before: str = ""
    """The title of the evening before; "" if there is none."""
    settings: dict[str, Any] = {}
    is_other: bool = False


def differences(before: "Evening | None", evening: "Evening") -> Differences:
    """From one evening to the next."""
    if before is None:
        return Differences()
    change = changes_between(before.rig, evening.rig, 0)
    if change is None:
        return Differences(before=before.title)
    return Differences(
        before=before.title, settings=change.settings, is_other=change.rig is not None
    )


class Anchor(BaseModel):
    """What the computer's clock said at a second of the evening: another one after each time that it was set, or slept."""

    at_s: float
    utc: datetime


class RecordedPart(BaseModel):
    """A recording of a broadcast, or a part of one: its id, and the second of the broadcast at which it begins (less than 0 for one that
    was begun before)."""

    id: str
    at_s: float


class Evening(BaseModel):
    """An evening. ``seconds`` is from going on air to the end, with what was lost between."""

    format: Literal["goshawk-evening"] = REPORT_FORMAT
    version: Literal[1] = 1
    id: str
    title: str
    note: str = ""
    started_utc: datetime
    seconds: float = 0.0
    is_over: bool = False
    was_cut: bool = False
    """Whether it ended with the program."""
    recording: str = ""
    """The id of its newest recording; "" if there is none."""
    recordings: list[RecordedPart] = []
    """All of them, in their order."""
    rig: Rig
    anchors: list[Anchor] = []
    figures: Figures = Figures()
    clearances_db: dict[str, float | None] = {}
    voice_peaks_dbfs: float | None = None
    speech_s: float = 0.0
    events: list[Event] = []
    marks: list[Mark] = []
    changes: list[SettingsChange] = []
    advice: list[str] = []

    def utc_at(self, at_s: float) -> datetime:
        """What the computer's clock said at a second of the evening."""
        anchors = self.anchors or [Anchor(at_s=0.0, utc=self.started_utc)]
        before = (one for one in anchors if one.at_s <= at_s)
        last = max(before, key=lambda one: one.at_s, default=anchors[0])
        return last.utc + timedelta(seconds=at_s - last.at_s)


class ChangeInWords(BaseModel):
    """What was changed at a moment of a broadcast, as sentences."""

    at_s: float
    utc: datetime
    lines: list[str]


def changes_in_words(evening: Evening) -> list[ChangeInWords]:
    """All changes of a broadcast, by the names that its rig had."""
    return [
        ChangeInWords(
            at_s=one.at_s,
            utc=evening.utc_at(one.at_s),
            lines=in_words(evening.rig, one.settings) or [text.STAGES_CHANGED],
        )
        for one in evening.changes
    ]


def in_words(rig: Rig, settings: dict[str, Any]) -> list[str]:
    """Settings by their paths as sentences."""
    return [setting_in_words(rig, path, value) for path, value in settings.items()]


def heard_share(history: BroadcastHistory, feed: str) -> float | None:
    """Of the seconds in which the voice spoke, how many a listener could hear; None without speech."""
    speech, heard = history.column(SPEECH), history.column(feed)
    spoke = speech > 0.2
    known = spoke & (heard == heard)
    return float((heard[known] > 0.0).mean()) if known.any() else None


def advice(evening: Evening) -> list[str]:
    """What to do next time: from the figures, then from what happened most."""
    said: list[str] = []
    figures, targets = evening.figures, evening.rig.targets
    if figures.loudness_lufs is not None:
        off = figures.loudness_lufs - targets.loudness_lufs
        if abs(off) > LOUDNESS_TOLERANCE_LU:
            said.append(text.loudness_was(figures.loudness_lufs, targets.loudness_lufs))
    for one in evening.rig.inputs:
        found = evening.clearances_db.get(one.id)
        if found is None or one.role == "voice":
            continue
        short = targets.clearance_db(one.role) - found
        if short > CLEARANCE_TOLERANCE_DB:
            said.append(text.too_close(one.name, short))
    if figures.intelligibility is not None and figures.intelligibility < GOOD_SII:
        said.append(text.intelligibility_was(figures.intelligibility, GOOD_SII))
    by_rule: dict[tuple[RuleName, str], list[Event]] = {}
    for event in evening.events:
        subject = event.subject if event.rule == "covered" else ""
        by_rule.setdefault((event.rule, subject), []).append(event)

    def lasted(events: list[Event]) -> float:
        return sum(
            (e.ended_s if e.ended_s is not None else evening.seconds) - e.began_s for e in events
        )

    for (rule, subject), events in sorted(by_rule.items(), key=lambda item: -lasted(item[1])):
        one_input = evening.rig.input(subject)
        said.append(
            text.next_time(
                rule,
                subject=one_input.name if one_input else "",
                count=sum(event.count for event in events),
                seconds=lasted(events),
            )
        )
    return said[:MOST_ADVICE]


class Shares(BaseModel):
    """Of what was said, how much each listener could hear (0 to 1)."""

    viewers: float | None
    call: float | None


def shares_of(history: BroadcastHistory) -> Shares:
    """From the seconds of an evening."""
    return Shares(viewers=heard_share(history, VIEWERS), call=heard_share(history, CALL))
