"""What a sound check gives."""

from pydantic import BaseModel

from goshawk.core.chain_slots import Chain
from goshawk.core.measure.take import TakeFigures
from goshawk.core.rules.sound_check.advice import Confidence, Suggestion, Wish
from goshawk.core.rules.sound_check.found import TakeFinding
from goshawk.core.text.figures import minus

PRESET_NAME = "Sound check"


class AdviceShown(BaseModel):
    """What is advised for one stage, as it is shown."""

    stage: str
    title: str
    reason: str
    confidence: Confidence
    is_needed: bool
    is_refused: bool = False
    suggestions: list[Suggestion] = []


class Proof(BaseModel):
    """Figures of the takes, raw or behind the suggested chain; ``snr_db`` is from usual speech to the noise in its
    pauses; ``cut_syllables`` are first syllables that lost more than 3 dB over their first 50 ms. ``levels``
    as in ``TakeFigures``, by take."""

    usual_peak_dbfs: float | None
    spread_db: float | None
    noise_in_pauses_dbfs: float | None
    snr_db: float | None
    true_peak_dbtp: float | None
    integrated_lufs: float | None
    harshness_db: float | None
    cut_syllables: int
    levels: dict[str, list[float]] = {}


class VoiceSpectrum(BaseModel):
    """Long-term levels in thirds of an octave: the voice and the room as they arrive, in dBFS, the voice behind the
    chain brought to the same level, and speech in general (Byrne et al. 1994) at that level."""

    centres_hz: list[float]
    voice_db: list[float]
    after_db: list[float]
    room_db: list[float]
    reference_db: list[float]


class Outcome(BaseModel):
    """All that a sound check gives."""

    takes: dict[str, TakeFigures]
    findings: list[TakeFinding]
    advice: list[AdviceShown]
    suggestions: list[Suggestion]
    spectrum: VoiceSpectrum
    before: Proof
    after: Proof
    shortfalls: list[str]
    chain: Chain


def describe(outcome: Outcome, wish: Wish) -> str:
    """A sentence for the preset."""
    before, after = outcome.before, outcome.after
    return (
        f"Computed from takes of one voice: {wish.steadiness.replace('_', ' ')}, "
        f"{'over a game' if wish.is_over_game else 'talk alone'}. From low to big voice "
        f"{before.spread_db:.0f} dB became {after.spread_db:.0f}, usual peaks reach "
        f"{minus(after.usual_peak_dbfs or 0.0, 1)} dBFS."
    )
