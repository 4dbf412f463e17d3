"""All messages of the live link (``/api/live``), typed for both ends: they are part of the OpenAPI document, and the
browser's types come from it."""

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from goshawk.core.computer import Computer
from goshawk.core.device_info import DeviceInfo, OutputInfo
from goshawk.core.measure.levels import StationLevels
from goshawk.core.observed.reach import Reach
from goshawk.core.rig import Rig, SettingValue
from goshawk.core.routing import FeedName
from goshawk.core.rules.balance import Standing
from goshawk.core.rules.finding import Finding
from goshawk.core.rules.gain import GainAdvice, GainMinute
from goshawk.core.sound_file_info import StoredSoundFile
from goshawk.core.stage import StageReading
from goshawk.core.target_sets import TargetSet
from goshawk.page_messages.balance import (
    BalanceLevels,
    BalanceState,
    BringToTarget,
    ChooseTargets,
    CountAnew,
    ReplayHear,
    ReplayLast,
    ReplayStop,
    SuggestDucker,
    WatchBalance,
)
from goshawk.page_messages.base import FromServerModel
from goshawk.page_messages.chain import (
    AddStage,
    CopyStage,
    Effort,
    ForgetRoom,
    GateWork,
    KeepOther,
    LearnRoom,
    LimiterWork,
    LoopHear,
    LoopLast,
    LoopNew,
    LoopState,
    LoopStop,
    MeasureInsert,
    MoveStage,
    PresetInfo,
    RemoveStage,
    RoomTakeState,
    Spectra,
    SwapOther,
    WatchChain,
    WatchStage,
)
from goshawk.page_messages.recording import (
    LookAtRecord,
    NameMark,
    PutMark,
    RecordFacts,
    RecordingState,
    StartRecording,
    StopRecording,
)
from goshawk.page_messages.settings import (
    BeShown,
    Dismiss,
    Redo,
    SetSetting,
    SetTogether,
    ShowAll,
    TrySetting,
    TryTogether,
    Undo,
)
from goshawk.page_messages.sound_check import SoundCheckState, TakeProgress
from goshawk.page_messages.watch import (
    GoOffAir,
    GoOnAir,
    KnowEvent,
    LookAtWatch,
    WatchState,
)
from goshawk.page_messages.wiring import (
    AddInput,
    AddOutput,
    AddressInfo,
    BufferSearchState,
    Cough,
    DeviceStatus,
    EncoderStatus,
    EngineHealth,
    Fault,
    FeedAs,
    FindBuffer,
    HandMicrophone,
    LedgerEntry,
    MeasureDelay,
    MeasureGain,
    MoveInput,
    OutputStatus,
    RemoveInput,
    RemoveOutput,
    SetUnity,
    TakeProgram,
    WatchDevices,
)

FromPage = Annotated[
    TrySetting
    | SetSetting
    | SetTogether
    | TryTogether
    | AddInput
    | RemoveInput
    | MoveInput
    | AddOutput
    | RemoveOutput
    | FeedAs
    | TakeProgram
    | HandMicrophone
    | SetUnity
    | AddStage
    | CopyStage
    | RemoveStage
    | MoveStage
    | Dismiss
    | ShowAll
    | Cough
    | WatchDevices
    | MeasureDelay
    | FindBuffer
    | MeasureGain
    | Fault
    | WatchStage
    | WatchChain
    | MeasureInsert
    | LearnRoom
    | ForgetRoom
    | LoopLast
    | LoopNew
    | LoopStop
    | LoopHear
    | KeepOther
    | SwapOther
    | WatchBalance
    | BringToTarget
    | SuggestDucker
    | ChooseTargets
    | CountAnew
    | ReplayLast
    | ReplayStop
    | ReplayHear
    | StartRecording
    | StopRecording
    | LookAtRecord
    | PutMark
    | NameMark
    | GoOnAir
    | GoOffAir
    | LookAtWatch
    | KnowEvent
    | BeShown
    | Undo
    | Redo,
    Field(discriminator="type"),
]


CURVE_INPUTS_DBFS = range(-60, 1)


CURVE_POINTS = 241


class State(FromServerModel):
    """Everything that is set, as all windows show it."""

    type: Literal["state"] = "state"
    plan: int
    """The number under which the engine is told of this state: it is heard once the readings name it, or a later one."""
    rig: Rig
    can_undo: bool
    can_redo: bool
    is_saved: bool
    save_trouble: str
    """Why what is set is not saved; "" if it is, or soon will be."""
    devices: list[DeviceInfo]
    output_devices: list[OutputInfo]
    insert_unit: OutputInfo
    """The stand-in that an insert can send to and come back from."""
    computer: Computer
    """The input devices there are now, with what each can do."""
    sound_files: list[StoredSoundFile]
    is_engine_running: bool
    curves: dict[str, list[float]]
    """Of each compressor by its id: output in dBFS for inputs of CURVE_INPUTS_DBFS; of each filter: gain in dB at CURVE_POINTS frequencies from 20 Hz to 20 kHz, evenly spaced in octaves."""
    sentences: dict[FeedName, str]
    """What each listener hears, in words."""
    buffer_search: BufferSearchState
    is_coughing: bool
    presets: list[PresetInfo]
    addresses: list[AddressInfo]
    """Who may hear by address."""
    changed_presets: list[str]
    """The inputs (by id) whose chain differs from the preset that it came from."""
    loop: LoopState
    record: RecordFacts
    target_sets: list[TargetSet]
    target_set: str
    """The set whose clearances the rig has; "" if they are its own."""
    version: str


class StateTried(FromServerModel):
    """What is another in the state while somebody drags: values by their paths, over the rig that is set, and what follows from
    them."""

    type: Literal["tried"] = "tried"
    plan: int
    values: dict[str, SettingValue]
    curves: dict[str, list[float]]
    """Those of the stages that are dragged."""
    sentences: dict[FeedName, str]
    changed_presets: list[str]
    target_set: str


class Readings(FromServerModel):
    """The newest hops (10 ms) of every station, 30 times a second."""

    type: Literal["readings"] = "readings"
    plan: int
    """The number of the plan under which they were made."""
    first_hop: int
    activity: list[int]
    rms_dbfs: dict[str, list[float]]
    peak_dbfs: dict[str, list[float]]
    stages: dict[str, StageReading]
    ceilings: dict[FeedName, StageReading]
    inputs: dict[str, float]
    """Each input's highest peak ahead of its fader, in dBFS."""
    activities: dict[str, list[int]]
    """Of every other voice, by the input's id, as ``activity`` is of the main voice."""


class History(FromServerModel):
    """The last ten seconds, sent once to a page that opens."""

    type: Literal["history"] = "history"
    activity: list[int]
    activities: dict[str, list[int]]
    rms_dbfs: dict[str, list[float]]
    peak_dbfs: dict[str, list[float]]


class Levels(FromServerModel):
    """Figures over the last ten seconds, five times a second."""

    type: Literal["levels"] = "levels"
    stations: dict[str, StationLevels]
    peaks_dbfs: dict[str, float | None]
    clearance_db: dict[str, float | None]
    momentary_lufs: float | None
    short_term_lufs: float | None
    true_peak_dbtp: float
    feed_peaks_dbfs: dict[FeedName, float]
    stage_latency_ms: dict[str, float]
    stage_cost_percent: dict[str, float]
    """Of a block's time, on the mean."""
    efforts: dict[str, Effort]
    gate_work: dict[str, GateWork]
    limiter_work: dict[str, LimiterWork]
    room_take: RoomTakeState | None
    take: TakeProgress | None
    is_speech: bool
    bad_samples: dict[str, int]
    standings: dict[str, Standing]
    balance: BalanceLevels
    findings: list[Finding]
    findings_aside: int
    gain: GainAdvice
    gain_minute: GainMinute
    devices: dict[str, DeviceStatus]
    outputs: dict[str, OutputStatus]
    encoder: EncoderStatus
    ledgers: dict[FeedName, list[LedgerEntry]]
    delay_ms: dict[FeedName, float]
    measured_delay_ms: dict[FeedName, float | None] | None
    engine: EngineHealth


class LevelsNow(Levels):
    """The newest figures, and whether a microphone reaches each listener."""

    reach: dict[FeedName, Reach]


class Lamps(FromServerModel):
    """Whether a microphone reaches each listener, and the number of the plan that is heard, whenever that changes."""

    type: Literal["lamps"] = "lamps"
    plan: int
    reach: dict[FeedName, Reach]


class Notice(FromServerModel):
    """A sentence for the user. ``level`` says whether it is news or trouble; one ``about`` something takes the place of
    those that were about the same."""

    type: Literal["notice"] = "notice"
    level: Literal["news", "trouble"]
    text: str
    about: str = ""


class Refusal(FromServerModel):
    """A message was refused; nothing has changed. ``state`` follows, so that the page shows truth."""

    type: Literal["refused"] = "refused"
    code: str
    text: str
    field: str = ""


FROM_SERVER: tuple[type[BaseModel], ...] = (
    State,
    StateTried,
    Readings,
    History,
    Levels,
    Lamps,
    Spectra,
    SoundCheckState,
    BalanceState,
    RecordingState,
    WatchState,
    Notice,
    Refusal,
)
