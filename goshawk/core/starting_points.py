"""Chains to start from, each for one situation. They are set for a usual voice whose speech peaks near −12 dBFS
at the gate; a voice's own measurements always serve better than a starting point.
"""

from goshawk.core.chain_slots import (
    Chain,
    CompressorSlot,
    DeEsserSlot,
    EqSlot,
    GateSlot,
    HighPassSlot,
    LevellerSlot,
    LimiterSlot,
    SuppressorSlot,
    TrimSlot,
    default_chain,
)
from goshawk.core.dsp.compressor import CompressorSettings
from goshawk.core.dsp.de_esser import DeEsserSettings
from goshawk.core.dsp.equaliser import BellBand, EqualiserSettings
from goshawk.core.dsp.gate import GateSettings
from goshawk.core.dsp.high_pass import HighPassSettings
from goshawk.core.dsp.leveller import LevellerSettings
from goshawk.core.dsp.limiter import LimiterSettings
from goshawk.core.dsp.suppressor import SuppressorSettings
from goshawk.core.dsp.trim import TrimSettings
from goshawk.core.preset import Preset


def _chain(
    *,
    trim_db: float = 5.0,
    high_pass_hz: float = 75.0,
    suppressor: SuppressorSettings | None = None,
    gate: GateSettings | None = None,
    eq: EqualiserSettings | None = None,
    compressor: CompressorSettings,
    leveller: LevellerSettings | None = None,
) -> Chain:
    """The stages in the order of the job; a stage that is not given is left out."""
    chain: list[object] = [
        TrimSlot(id="trim", settings=TrimSettings(gain_db=trim_db)),
        HighPassSlot(id="high_pass", settings=HighPassSettings(frequency_hz=high_pass_hz)),
        suppressor and SuppressorSlot(id="suppressor", settings=suppressor),
        gate and GateSlot(id="gate", settings=gate),
        eq and EqSlot(id="eq", settings=eq),
        DeEsserSlot(id="de_esser", settings=DeEsserSettings()),
        CompressorSlot(id="compressor", settings=compressor),
        leveller and LevellerSlot(id="leveller", settings=leveller),
        LimiterSlot(id="limiter", settings=LimiterSettings(ceiling_dbtp=-4.0)),
    ]
    return tuple(slot for slot in chain if slot)  # type: ignore[misc]


STARTING_POINTS: dict[str, Preset] = {
    "start_whole": Preset(
        name="The whole chain",
        description="Every stage in the order of the job, set for the attic's voice.",
        chain=default_chain(),
    ),
    "start_talk": Preset(
        name="Talk alone",
        description="Long, calm talk with nothing beneath it: hardly any gate, so that the room does not "
        "come and go, gentle compression, and a leveller for the hours.",
        chain=_chain(
            suppressor=SuppressorSettings(reduction_db=15.0, emphasis_percent=40.0),
            compressor=CompressorSettings(
                threshold_dbfs=-24.0, ratio=2.2, attack_ms=12.0, release_ms=220.0, makeup_gain_db=9.0
            ),
            leveller=LevellerSettings(),
        ),
    ),
    "start_game": Preset(
        name="Over a game",
        description="A voice that has to stand over a loud game: firm compression, clarity lifted, the "
        "gate takes the keyboard out of the pauses, where the game covers its work.",
        chain=_chain(
            high_pass_hz=90.0,
            suppressor=SuppressorSettings(),
            gate=GateSettings(open_threshold_dbfs=-37.0, close_threshold_dbfs=-42.0, range_db=24.0),
            eq=EqualiserSettings(
                bell_2=BellBand(frequency_hz=320.0, gain_db=-3.0, q=1.1),
                bell_5=BellBand(frequency_hz=3_500.0, gain_db=3.0, q=0.8),
            ),
            compressor=CompressorSettings(
                threshold_dbfs=-26.0, ratio=4.0, attack_ms=5.0, release_ms=120.0, makeup_gain_db=13.5
            ),
        ),
    ),
    "start_whisper": Preset(
        name="Whispering late at night",
        description="A voice that must not wake the house: more gain, no gate that could cut a whisper, the "
        "room taken down as far as it goes, and a leveller that lifts what stays quiet.",
        chain=_chain(
            trim_db=14.0,
            high_pass_hz=85.0,
            suppressor=SuppressorSettings(reduction_db=28.0, emphasis_percent=70.0),
            compressor=CompressorSettings(
                threshold_dbfs=-30.0, ratio=2.5, attack_ms=10.0, release_ms=200.0, makeup_gain_db=10.0
            ),
            leveller=LevellerSettings(range_db=10.0, threshold_lufs=-52.0),
        ),
    ),
    "start_laugher": Preset(
        name="A lively laugher",
        description="Quiet remarks and sudden laughter: a quick compressor with a high ratio catches the "
        "laugh, and leaves usual speech nearly alone.",
        chain=_chain(
            suppressor=SuppressorSettings(),
            gate=GateSettings(open_threshold_dbfs=-40.0, close_threshold_dbfs=-45.0, range_db=12.0),
            compressor=CompressorSettings(
                threshold_dbfs=-16.0, ratio=6.0, knee_db=10.0, attack_ms=2.0, release_ms=180.0,
                makeup_gain_db=6.5,
            ),
            leveller=LevellerSettings(),
        ),
    ),
    "start_noisy": Preset(
        name="Noisy room",
        description="Fans, a street, a loud computer: learn the room first, then this takes it down all "
        "the way, closes in pauses and cuts what rumbles.",
        chain=_chain(
            high_pass_hz=110.0,
            suppressor=SuppressorSettings(reduction_db=30.0, emphasis_percent=80.0, follow_s=6.0),
            gate=GateSettings(open_threshold_dbfs=-36.0, close_threshold_dbfs=-42.0, range_db=18.0),
            eq=EqualiserSettings(bell_2=BellBand(frequency_hz=250.0, gain_db=-2.5, q=0.9)),
            compressor=CompressorSettings(
                threshold_dbfs=-24.0, ratio=3.0, attack_ms=6.0, release_ms=140.0, makeup_gain_db=10.5
            ),
        ),
    ),
}  # fmt: skip
"""By id; ids of presets that are saved never begin with "start_"."""
