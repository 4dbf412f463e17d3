"""The rig: everything a user sets up. One immutable document; a change makes a new one."""

from typing import Annotated, Any, Literal, Self

from pydantic import Field, ValidationError, model_validator

from goshawk.core.dsp.compressor import CompressorSettings
from goshawk.core.dsp.gate import GateSettings
from goshawk.core.dsp.limiter import LimiterSettings
from goshawk.core.dsp.trim import TrimSettings
from goshawk.core.settings import Settings, choice, number, sentence_of
from goshawk.errors import BadSetting

BlockFrames = Literal[64, 128, 256, 512, 1024]
Performance = Literal["silent", "murmur", "talk", "laugh", "type"]


class _Slot(Settings):
    """A place in the voice chain."""

    id: str = Field(min_length=1, max_length=40, pattern=r"^[a-z0-9_]+$")
    is_bypassed: bool = choice(False, "Bypass", "Lets the voice pass this stage untouched.")


class TrimSlot(_Slot):
    """The trim's place."""

    stage: Literal["trim"] = "trim"
    settings: TrimSettings = TrimSettings()


class GateSlot(_Slot):
    """The gate's place."""

    stage: Literal["gate"] = "gate"
    settings: GateSettings = GateSettings()


class CompressorSlot(_Slot):
    """The compressor's place."""

    stage: Literal["compressor"] = "compressor"
    settings: CompressorSettings = CompressorSettings()


class LimiterSlot(_Slot):
    """The limiter's place."""

    stage: Literal["limiter"] = "limiter"
    settings: LimiterSettings = LimiterSettings()


Slot = Annotated[TrimSlot | GateSlot | CompressorSlot | LimiterSlot, Field(discriminator="stage")]
Chain = tuple[Slot, ...]
MOST_STAGES = 30


def check_chain(chain: Chain) -> Chain:
    """One path, always: every place has its own id, and the limiter, if any, is last.

    Raises ValueError with a sentence."""
    ids = [slot.id for slot in chain]
    if len(ids) > MOST_STAGES:
        raise ValueError(f"a chain has at most {MOST_STAGES} stages, this one has {len(ids)}.")
    if len(set(ids)) < len(ids):
        twice = next(name for name in ids if ids.count(name) > 1)
        raise ValueError(f"two stages are called {twice!r}. Give each stage an id of its own.")
    if any(slot.stage == "limiter" for slot in chain[:-1]):
        raise ValueError("the limiter must be the last stage of the chain. Move it to the end.")
    return chain


MOST_PREAMP_GAIN_DB = 60.0


class MicrophoneSettings(Settings):
    """Where the voice comes from."""

    source: Literal["attic", "browser", "file"] = choice(
        "attic", "Microphone", "The attic's stand-in, this browser's microphone, or a sound file."
    )
    performance: Performance = choice(
        "talk", "The stand-in should", "What the stand-in microphone hears."
    )
    preamp_gain_db: float = number(
        36.0,
        0.0,
        MOST_PREAMP_GAIN_DB,
        "dB",
        "Preamp",
        "The stand-in interface's own gain, before its converter.",
        step=1.0,
    )
    file_id: str = Field("", max_length=64, title="Sound file")
    is_looped: bool = choice(True, "Loop", "Start the file again at its end.")


class StripSettings(Settings):
    """A background input on its way to the viewers."""

    trim_db: float = number(
        0.0, -60.0, 12.0, "dB", "Trim", "Sets this input's level for the viewers."
    )
    is_muted: bool = choice(False, "Mute", "Takes this input away from the viewers.")


class VoiceSettings(Settings):
    """The voice after its chain."""

    fader_db: float = number(
        0.0, -60.0, 12.0, "dB", "Fader", "The voice's level for the viewers, after its chain."
    )
    is_muted: bool = choice(False, "Mute", "Takes the voice away from the viewers.")


class FeedSettings(Settings):
    """What one listener hears, as a whole."""

    ceiling_dbtp: float = number(
        -3.0, -30.0, 0.0, "dBTP", "Ceiling of the feed", "The whole feed never goes above this."
    )


class Targets(Settings):
    """Where levels should sit in the Viewers feed."""

    voice_peaks_dbfs: float = number(
        -7.0, -30.0, -1.0, "dBFS", "Voice peaks", "Where the voice's peaks should be.", step=0.5
    )
    voice_tolerance_db: float = number(
        2.0, 0.5, 6.0, "dB", "Tolerance", "How far from the target is still on target.", step=0.5
    )
    game_clearance_db: float = number(
        12.0,
        0.0,
        40.0,
        "dB",
        "Over game",
        "How far the voice should stand above the game.",
        step=0.5,
    )
    music_clearance_db: float = number(
        18.0,
        0.0,
        40.0,
        "dB",
        "Over music",
        "How far the voice should stand above the music.",
        step=0.5,
    )


def default_chain() -> Chain:
    """The four stages, in the order of the job, set for the attic's voice."""
    return (
        TrimSlot(id="trim", settings=TrimSettings(gain_db=5.0)),
        GateSlot(
            id="gate", settings=GateSettings(open_threshold_dbfs=-37.0, close_threshold_dbfs=-42.0)
        ),
        CompressorSlot(
            id="compressor",
            settings=CompressorSettings(threshold_dbfs=-22.0, ratio=3.0, makeup_gain_db=11.0),
        ),
        LimiterSlot(id="limiter", settings=LimiterSettings(ceiling_dbtp=-4.0)),
    )


class Rig(Settings):
    """Everything a user sets up."""

    name: str = Field("Attic, late", min_length=1, max_length=80, title="Name")
    block_frames: BlockFrames = Field(
        256,
        title="Buffer",
        description="Frames a block: small is quick, large is safe from dropouts.",
        json_schema_extra={"unit": "frames"},
    )
    microphone: MicrophoneSettings = MicrophoneSettings()
    chain: Chain = Field(default_factory=default_chain)
    voice: VoiceSettings = VoiceSettings()
    game: StripSettings = StripSettings(trim_db=-8.0)
    music: StripSettings = StripSettings(trim_db=-19.0)
    viewers: FeedSettings = FeedSettings()
    targets: Targets = Targets()

    @model_validator(mode="after")
    def _is_sound(self) -> Self:
        check_chain(self.chain)
        return self


def changed(rig: Rig, path: str, value: Any) -> Rig:
    """The rig with one setting changed.

    ``path`` names it with dots, a stage by its id: ``chain.gate.settings.range_db``.
    Raises BadSetting with a sentence if there is no such setting or the value is refused.
    """
    document = rig.model_dump(mode="json")
    place: Any = document
    *parents, last = path.split(".")
    for part in parents:
        if isinstance(place, list):
            place = next((item for item in place if item.get("id") == part), None)
        else:
            place = place.get(part) if isinstance(place, dict) else None
    if not isinstance(place, dict) or last not in place or last in ("id", "stage"):
        raise BadSetting(f"There is no setting {path!r}. Check the name.", field=path)
    place[last] = value
    try:
        return Rig.model_validate(document)
    except ValidationError as error:
        raise sentence_of(error, "", document) from None
