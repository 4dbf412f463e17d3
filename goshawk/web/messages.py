"""The messages of the live link (``/api/live``), typed for both ends: they are part of the OpenAPI
document, and the browser's types come from it."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from goshawk.core.measure.levels import StationLevels
from goshawk.core.rig import Rig
from goshawk.core.rules.balance import Standing
from goshawk.core.rules.gain import GainAdvice
from goshawk.core.rules.staging import Finding
from goshawk.store.sound_files import StoredSoundFile


class _FromPage(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class TrySetting(_FromPage):
    """Hear a value while it is being dragged; it is not saved."""

    type: Literal["try"]
    path: str = Field(max_length=200)
    value: float | bool | str


class SetSetting(_FromPage):
    """Change and save a setting; answered by the new state.

    A nudge is one of a run of small steps, as a held key makes: it joins the one before it, so that
    undo takes the run back at once."""

    type: Literal["set"]
    path: str = Field(max_length=200)
    value: float | bool | str
    is_nudge: bool = False


class Undo(_FromPage):
    """One step back."""

    type: Literal["undo"]


class Redo(_FromPage):
    """One step forward again."""

    type: Literal["redo"]


FromPage = Annotated[TrySetting | SetSetting | Undo | Redo, Field(discriminator="type")]


class _FromServer(BaseModel):
    model_config = ConfigDict(json_schema_serialization_defaults_required=True)


class State(_FromServer):
    """Everything that is set, as all windows show it."""

    type: Literal["state"] = "state"
    rig: Rig
    can_undo: bool
    can_redo: bool
    is_saved: bool
    sound_files: list[StoredSoundFile]
    is_engine_running: bool
    curves: dict[str, list[float]]
    """Of each compressor by its id: output in dBFS for inputs of CURVE_INPUTS_DBFS."""
    version: str


class Readings(_FromServer):
    """The newest moments of every station, 30 times a second."""

    type: Literal["readings"] = "readings"
    first_moment: int
    activity: list[int]
    rms_dbfs: dict[str, list[float]]
    peak_dbfs: dict[str, list[float]]
    stages: dict[str, dict[str, Any]]
    ceiling: dict[str, Any]


class History(_FromServer):
    """The last ten seconds, sent once to a page that opens."""

    type: Literal["history"] = "history"
    activity: list[int]
    rms_dbfs: dict[str, list[float]]
    peak_dbfs: dict[str, list[float]]


CURVE_INPUTS_DBFS = range(-60, 1)


class EngineHealth(_FromServer):
    """How the audio process does."""

    load_percent: float
    late_blocks: int
    missed_blocks: int
    late_in_last_minute: int
    block_frames: int
    is_realtime: bool
    restarts: int


class Levels(_FromServer):
    """Figures over the last ten seconds, ten times a second."""

    type: Literal["levels"] = "levels"
    stations: dict[str, StationLevels]
    peaks_dbfs: dict[str, float | None]
    clearance_db: dict[str, float | None]
    momentary_lufs: float | None
    short_term_lufs: float | None
    true_peak_dbtp: float
    latency_ms: float
    stage_latency_ms: dict[str, float]
    is_speech: bool
    voice_reaches_viewers: bool
    bad_samples: int
    standings: dict[str, Standing]
    findings: list[Finding]
    gain: GainAdvice
    microphone: dict[str, Any]
    engine: EngineHealth


class Notice(_FromServer):
    """A sentence for the user. ``level`` says whether it is news or trouble."""

    type: Literal["notice"] = "notice"
    level: Literal["news", "trouble"]
    text: str


class Refusal(_FromServer):
    """A message was refused; nothing has changed. ``state`` follows, so that the page shows truth."""

    type: Literal["refused"] = "refused"
    code: str
    text: str
    field: str = ""


FROM_SERVER: tuple[type[BaseModel], ...] = (State, Readings, History, Levels, Notice, Refusal)
