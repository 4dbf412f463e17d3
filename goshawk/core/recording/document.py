"""What is written down of a recording: ``recording.json``. All places in it are frames of 48 kHz from its beginning."""

from datetime import datetime
from typing import Any, Literal

from pydantic import Field

from goshawk.core.record_settings import TrackFormat, TrackSource
from goshawk.core.rig import Rig, changed_together
from goshawk.core.routing import Role
from goshawk.core.settings import Settings
from goshawk.units import SAMPLE_RATE_HZ

RECORDING_FORMAT: Literal["goshawk-recording"] = "goshawk-recording"
DOCUMENT_NAME = "recording.json"
MOST_MARKS, MOST_GAPS, MOST_CHANGES = 2000, 2000, 5000
LONGEST_MARK_NAME = 120
LONGEST_NOTE = 2000

MOST_FRAMES = 1000 * 3600 * 48_000
"""A thousand hours: what says more was not written by a recorder."""

GapReason = Literal["slow_disk", "engine", "recorder", "realigned"]
"""Why there is silence: the disk took nothing for too long; the audio process was not there, or could not keep up; an effect
of shorter delay came into the way."""


class Track(Settings):
    """One file of a recording."""

    source: TrackSource
    name: str = Field(max_length=80)
    role: Role | Literal["feed"]
    channels: int = Field(ge=1, le=2)
    file: str = Field("", max_length=255)


class Mark(Settings):
    """A point in time, put by the user or by Goshawk."""

    id: int
    frame: int = Field(ge=0)
    name: str = Field("", max_length=LONGEST_MARK_NAME)
    by: Literal["you", "goshawk"] = "you"


class Gap(Settings):
    """Silence in place of sound that could not be had; ``source`` is the one track it is in, "" if it is in all."""

    frame: int = Field(ge=0)
    frames: int = Field(gt=0)
    why: GapReason
    source: str = ""


class RigChange(Settings):
    """From this frame on of what came in, another rig was heard: by its settings, or whole where it has other inputs,
    outputs or stages."""

    frame: int = Field(ge=0)
    settings: dict[str, Any] = Field(default_factory=dict)
    rig: Rig | None = None


class Figures(Settings):
    """An evening in figures; None where there is too little to say."""

    loudness_lufs: float | None = None
    true_peak_dbtp: float | None = None
    clearance_db: float | None = None
    """Of the voice over the game."""
    intelligibility: float | None = None


class Recording(Settings):
    """A recording."""

    format: Literal["goshawk-recording"] = RECORDING_FORMAT
    version: Literal[1] = 1
    id: str = Field(pattern=r"^[a-z0-9]{4,32}$")
    title: str = Field(max_length=200)
    note: str = Field("", max_length=LONGEST_NOTE)
    started_utc: datetime
    """When the first frame was at the devices."""
    sample_rate_hz: Literal[48000] = 48000
    file_format: TrackFormat = "flac"
    state: Literal["running", "whole", "mended"] = "running"
    said: str = Field("", max_length=1000)
    """What happened to it that was not meant to."""
    continues: str = Field("", max_length=32)
    """The id of the recording that broke off before it."""
    frames: int = Field(0, ge=0, le=MOST_FRAMES)
    tracks: tuple[Track, ...]
    marks: tuple[Mark, ...] = ()
    gaps: tuple[Gap, ...] = ()
    rig: Rig
    """As it was heard at the beginning."""
    changes: tuple[RigChange, ...] = ()
    figures: Figures | None = None

    @property
    def seconds(self) -> float:
        """How long it is."""
        return self.frames / SAMPLE_RATE_HZ

    def track(self, source: str) -> Track | None:
        """A track by what it is made of; None if it was not recorded."""
        return next((one for one in self.tracks if one.source == source), None)


def changes_between(before: Rig, after: Rig, frame: int) -> RigChange | None:
    """What has to be written down when another rig is heard; None if it is the same one."""
    if before == after:
        return None
    old, new = settings_of(before), settings_of(after)
    if old.keys() != new.keys():
        return RigChange(frame=frame, rig=after)
    settings = {path: value for path, value in new.items() if old[path] != value}
    # Where a setting cannot be named by its path (the order of inputs), the whole rig says it.
    try:
        is_said = changed_together(before, settings) == after
    except Exception:
        is_said = False
    return (
        RigChange(frame=frame, settings=settings) if is_said else RigChange(frame=frame, rig=after)
    )


def rigs_heard(recording: Recording) -> list[tuple[int, Rig]]:
    """Every rig that was heard, and the frame from which on. Raises BadSetting if what is written down fits no rig."""
    heard = [(0, recording.rig)]
    for change in recording.changes:
        rig = change.rig or changed_together(heard[-1][1], change.settings)
        heard.append((change.frame, rig))
    return heard


def settings_of(rig: Rig) -> dict[str, Any]:
    """Every setting of a rig by its path."""
    return _leaves(rig.model_dump(mode="json"))


def _leaves(document: Any, path: str = "") -> dict[str, Any]:
    """Every setting by its path as ``rig.changed`` names it; what has no id is one value."""
    named = _named(document)
    if named is None:
        return {path: document}
    found: dict[str, Any] = {}
    for name, value in named.items():
        found |= _leaves(value, f"{path}.{name}" if path else name)
    return found


def _named(document: Any) -> dict[str, Any] | None:
    if isinstance(document, dict) and document:
        return document
    if isinstance(document, list) and document:
        ids = [one.get("id") if isinstance(one, dict) else None for one in document]
        if all(isinstance(one, str) for one in ids):
            return dict(zip(map(str, ids), document, strict=True))
    return None


def label_text(marks: tuple[Mark, ...]) -> str:
    """The marks as lines of start, end (the same, in seconds) and name, divided by tabs, as audio editors read them."""
    lines = []
    for one in sorted(marks, key=lambda mark: mark.frame):
        at = f"{one.frame / SAMPLE_RATE_HZ:.6f}"
        name = " ".join(one.name.split()) or f"mark {one.id}"
        lines.append(f"{at}\t{at}\t{name}\n")
    return "".join(lines)
