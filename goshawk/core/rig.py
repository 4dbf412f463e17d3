"""The rig: everything a user sets up. One immutable document; a change makes a new one."""

from dataclasses import dataclass
from functools import reduce
from typing import Annotated, Any, Literal, Self

from pydantic import BaseModel, Field, StringConstraints, ValidationError, model_validator

from goshawk.core.chain_slots import (
    Chain,
    Slot,
)
from goshawk.core.midi_settings import MidiBindings, check_midi
from goshawk.core.record_settings import RecordSettings
from goshawk.core.routing import (
    DeviceSettings,
    Feeds,
    Inputs,
    InputSettings,
    Outputs,
    OutputSettings,
    Role,
    check_inputs,
    check_outputs,
    default_inputs,
    default_outputs,
)
from goshawk.core.settings import (
    DELAY_READS,
    PLAIN_TEXT,
    DeviceName,
    Settings,
    choice,
    number,
    sentence_of,
)
from goshawk.core.watch_settings import WatchSettings
from goshawk.errors import BadSetting

RIG_VERSION: Literal[4] = 4
BlockFrames = Literal[64, 128, 256, 512, 1024]
BLOCK_SIZES: tuple[BlockFrames, ...] = (64, 128, 256, 512, 1024)
MOST_DISMISSALS = 200


class Targets(Settings):
    """Where levels should sit in the Viewers feed."""

    voice_peaks_dbfs: float = number(
        -7.0,
        -30.0,
        -1.0,
        "dBFS",
        "Voice peaks",
        "Where the voice's peaks should be.",
        step=0.5,
        reads=(
            (-30, "leaves very much room above you"),
            (-15, "leaves room for a loud laugh"),
            (-9, "stands high, with a little room"),
            (-4, "stands so high that the ceiling works hard"),
        ),
    )
    voice_tolerance_db: float = number(
        2.0,
        0.5,
        6.0,
        "dB",
        "Tolerance",
        "How far from the target is still on target.",
        step=0.5,
        reads=(
            (0.5, "is strict: a turned head is beside it"),
            (1.5, "lets a voice live"),
            (3.5, "says so only when it is far off"),
        ),
    )
    game_clearance_db: float = number(
        12.0,
        0.0,
        40.0,
        "dB",
        "Above game",
        "How far the voice stands above the game.",
        step=0.5,
        reads=(
            (0, "lets it be as loud as you"),
            (3, "keeps you just above it"),
            (9, "keeps your words clear"),
            (16, "keeps it far below you"),
        ),
    )
    music_clearance_db: float = number(
        18.0,
        0.0,
        40.0,
        "dB",
        "Above music",
        "How far the voice stands above the music.",
        step=0.5,
        reads=(
            (0, "lets it be as loud as you"),
            (3, "keeps you just above it"),
            (9, "keeps your words clear"),
            (16, "keeps it far below you"),
        ),
    )
    call_clearance_db: float = number(
        4.0,
        0.0,
        40.0,
        "dB",
        "Above the call",
        "How far the voice stands above a caller.",
        step=0.5,
        reads=(
            (0, "lets it be as loud as you"),
            (3, "keeps you just above it"),
            (9, "keeps your words clear"),
            (16, "keeps it far below you"),
        ),
    )
    other_clearance_db: float = number(
        12.0,
        0.0,
        40.0,
        "dB",
        "Above other inputs",
        "How far the voice stands above the rest.",
        step=0.5,
        reads=(
            (0, "lets it be as loud as you"),
            (3, "keeps you just above it"),
            (9, "keeps your words clear"),
            (16, "keeps it far below you"),
        ),
    )

    loudness_lufs: float = number(
        -16.0,
        -30.0,
        -8.0,
        "LUFS",
        "Loudness",
        "How loud the whole should be, over the evening.",
        step=0.5,
        reads=(
            (-30, "is far softer than viewers are used to"),
            (-24, "is as broadcasts are"),
            (-19, "is as most streams are"),
            (-13, "is very loud: the ceiling works hard"),
        ),
    )

    def clearance_db(self, role: Role) -> float:
        """The wanted clearance over an input of a role. A second voice stands where a caller does."""
        wanted: float = getattr(self, f"{'call' if role == 'voice' else role}_clearance_db")
        return wanted


class Dismissal(Settings):
    """A finding that the user has put aside; it comes back when it gets worse."""

    key: str = Field(max_length=120)
    badness: float


class Rig(Settings):
    """Everything a user sets up."""

    version: Literal[4] = RIG_VERSION
    name: Annotated[
        str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80), PLAIN_TEXT
    ] = Field("Attic, late", title="Name")
    block_frames: BlockFrames = Field(
        256,
        title="Buffer",
        description="Frames a block: small is quick, large is safe from dropouts.",
        json_schema_extra={"unit": "frames"},
    )
    devices: DeviceSettings = DeviceSettings()
    inputs: Inputs = Field(default_factory=default_inputs)
    chained: str = Field(
        "voice",
        max_length=40,
        title="Main voice",
        description="The voice that all is set by: the sound check plans its chain, levels are told from it, and "
        "the others dip under it.",
    )
    feeds: Feeds = Feeds()
    outputs: Outputs = Field(default_factory=default_outputs)
    device_buffer_ms: float = number(
        0.0,
        0.0,
        250.0,
        "ms",
        "Device buffer",
        "How much lies between Goshawk and the computer's devices; 0: as little as the system allows.",
        step=1.0,
        reads=(
            (0, "lies as near as the system allows"),
            (1, "lies near; a busy computer may drop out"),
            (15, "is safe, and adds to the delay"),
            (60, "adds much delay"),
        ),
    )
    clock_device: DeviceName = Field(
        "",
        title="Clock",
        description="A device of the computer by whose clock Goshawk runs; none: by the system's.",
    )
    is_on_break: bool = choice(
        False, "Break", "Viewers hear only the music; the call and you hear what they heard."
    )
    picture_delay_ms: float = number(
        0.0,
        0.0,
        1000.0,
        "ms",
        "Video delay",
        "How long your broadcasting program already delays the video.",
        step=1.0,
        reads=DELAY_READS,
    )
    targets: Targets = Targets()
    recording: RecordSettings = RecordSettings()
    watch: WatchSettings = WatchSettings()
    midi: MidiBindings = Field(
        (),
        title="MIDI",
        description="Which control moves which fader, or does what; see the keys dialog.",
    )
    dismissed: tuple[Dismissal, ...] = Field((), max_length=MOST_DISMISSALS)

    @model_validator(mode="after")
    def _is_sound(self) -> Self:
        check_inputs(self.inputs, self.chained)
        check_outputs(self.outputs, self.inputs)
        check_midi(self.midi)
        viewers = self.feeds.viewers
        if viewers.has_ceiling and self.targets.voice_peaks_dbfs > viewers.ceiling_dbtp:
            raise ValueError(
                f"the voice cannot peak at {self.targets.voice_peaks_dbfs:g} dBFS under the viewers' ceiling "
                f"of {viewers.ceiling_dbtp:g} dBTP. Lower the target, or raise the ceiling."
            )
        return self

    def input(self, input_id: str) -> InputSettings | None:
        """An input by its id; None if there is none."""
        return next((one for one in self.inputs if one.id == input_id), None)

    def output(self, output_id: str) -> OutputSettings | None:
        """An output by its id; None if there is none."""
        return next((one for one in self.outputs if one.id == output_id), None)

    @property
    def voice(self) -> InputSettings | None:
        """The main voice; None if there is none."""
        return self.input(self.chained)

    @property
    def chain(self) -> Chain:
        """The main voice's chain; empty if there is no main voice."""
        return self.voice.chain if self.voice else ()

    @property
    def stage_ids(self) -> set[str]:
        """Of all chains: no two are the same."""
        return {slot.id for one in self.inputs for slot in one.chain}

    def stage(self, stage_id: str) -> tuple[InputSettings, Slot] | None:
        """A stage by its id, and the input whose chain it is in; None if there is none."""
        return next(
            ((one, slot) for one in self.inputs for slot in one.chain if slot.id == stage_id), None
        )

    def stage_path(self, stage_id: str) -> str:
        """How a stage is named in ``changed``."""
        found = self.stage(stage_id)
        return f"inputs.{found[0].id}.chain.{stage_id}" if found else ""


def validated(document: dict[str, Any]) -> Rig:
    try:
        return Rig.model_validate(document)
    except ValidationError as error:
        raise sentence_of(error, "", document) from None


FIXED = ("id", "stage", "version")


def with_shared(rig: Rig, other: Rig) -> Rig:
    """The same rig, made of the other's very objects where they are equal, so that what is the same is known at once:
    the rig, its parts, its inputs and their stages. So a window of many rigs holds little more than one."""
    if rig == other:
        return other
    there = {one.id: one for one in other.inputs}
    inputs = []
    for one in rig.inputs:
        was = there.get(one.id)
        if was is None:
            inputs.append(one)
        elif was is one or was == one:
            inputs.append(was)
        else:
            slots = {slot.id: slot for slot in was.chain}
            chain = tuple(
                slots[slot.id] if slots.get(slot.id) == slot else slot for slot in one.chain
            )
            inputs.append(one.model_copy(update={"chain": chain}))
    was_there = opened(other)
    parts = {
        name: was_there[name]
        for name, part in opened(rig).items()
        if name != "inputs" and part is not was_there[name] and part == was_there[name]
    }
    return rig.model_copy(update={"inputs": tuple(inputs), **parts})


def knob(rig: Rig, path: str) -> float:
    """The value of a device's knob, such as ``devices.attic.preamp_gain_db``."""
    return float(reduce(getattr, path.split("."), rig))  # type: ignore[arg-type]


def changed(rig: Rig, path: str, value: Any) -> Rig:
    """The rig with one setting changed.

    ``path`` names it with dots, a stage or an input by its id:
    ``inputs.voice.chain.gate.settings.range_db``.
    Raises BadSetting with a sentence if there is no such setting or the value is refused.
    """
    return changed_together(rig, {path: value})


def changed_together(rig: Rig, values: dict[str, Any]) -> Rig:
    """The rig with several settings changed at once; all of them or none. Raises BadSetting.

    Only what lies on the way to them is taken apart, and looked at again: the rest stays the very same."""
    document = opened(rig)
    for path, value in values.items():
        *parents, last = path.split(".")
        place = _opened_at(document, parents)
        if not isinstance(place, dict) or last not in place or last in FIXED:
            raise BadSetting(f"There is no setting {path!r}. Check the name.", field=path)
        place[last] = value
    return validated(document)


@dataclass(frozen=True)
class Tried:
    """Values that are heard over a rig without being set, while somebody drags: all of them since the drag began."""

    over: Rig
    values: dict[str, Any]

    @property
    def rig(self) -> Rig:
        """What is heard. Raises BadSetting."""
        return changed_together(self.over, self.values)


def opened(one: BaseModel) -> dict[str, Any]:
    """A model's fields, with its parts as they are."""
    return {name: getattr(one, name) for name in type(one).model_fields}


def _opened_at(document: dict[str, Any], parents: list[str]) -> Any:
    """What lies at a path, open to be changed, as is all on the way to it; None if there is nothing."""
    place: Any = document
    for part in parents:
        key: Any = part
        if isinstance(place, list):
            key = next((n for n, one in enumerate(place) if _id_of(one) == part), None)
        if key is None or (isinstance(place, dict) and part not in place):
            return None
        if not isinstance(place, dict | list):
            return None
        inside = place[key]
        if isinstance(inside, BaseModel):
            inside = opened(inside)
        elif isinstance(inside, tuple):
            inside = list(inside)
        place[key] = inside
        place = inside
    return place


def _id_of(one: Any) -> Any:
    return one.get("id") if isinstance(one, dict) else getattr(one, "id", None)


SettingValue = float | bool | str | list[str] | list[dict[str, Any]] | None
"""What can stand at a setting's path: a value, a choice of tracks, or a whole chain."""
