"""Compressor, leveller and limiter: how even it is."""

import numpy as np

from goshawk.core.dsp.compressor import CompressorSettings, reduction_at_db
from goshawk.core.dsp.limiter import LimiterSettings
from goshawk.core.rules.sound_check.advice import (
    SPREAD_DB,
    Advice,
    Confidence,
    Steadiness,
    left_out,
)
from goshawk.core.stage import Floats
from goshawk.core.text.figures import minus

MOST_RATIO = 12.0


_TIMES_MS: dict[Steadiness, tuple[float, float]] = {
    "natural": (12.0, 220.0),
    "steady": (8.0, 150.0),
    "very_steady": (5.0, 120.0),
}
"""Attack and release: the less is to be left of the spread, the quicker."""


THRESHOLD_UNDER_LOW_DB = 4.0
"""Under the low voice's usual peaks: it is hardly touched, and the curve has bent before the usual voice."""


def needs_compressor(spread_db: float, steadiness: Steadiness) -> bool:
    """Whether from low to big is more than is wished for."""
    return spread_db > SPREAD_DB[steadiness] + 1.0


def compressor_for(
    threshold_dbfs: float, ratio: float, makeup_db: float, steadiness: Steadiness
) -> CompressorSettings:
    """A compressor with times that suit the steadiness, within its ranges."""
    attack, release = _TIMES_MS[steadiness]
    return CompressorSettings(
        threshold_dbfs=round(CompressorSettings.held("threshold_dbfs", threshold_dbfs), 1),
        ratio=round(max(1.0, min(MOST_RATIO, ratio)), 2),
        makeup_gain_db=round(CompressorSettings.held("makeup_gain_db", makeup_db), 1),
        attack_ms=attack,
        release_ms=release,
    )


def first_ratio(
    low_peaks_dbfs: Floats,
    big_peaks_dbfs: Floats,
    threshold_dbfs: float,
    spread_db: float,
    wanted_db: float,
) -> float:
    """The ratio whose static curve takes the wanted part of the spread: where the search begins."""
    if spread_db <= wanted_db:
        return 1.0
    best = MOST_RATIO
    for ratio in np.geomspace(1.1, MOST_RATIO, 40):
        settings = CompressorSettings(threshold_dbfs=threshold_dbfs, ratio=float(ratio))
        taken = [
            float(np.mean([reduction_at_db(settings, float(x)) for x in peaks]))
            for peaks in (low_peaks_dbfs, big_peaks_dbfs)
        ]
        if spread_db - (taken[1] - taken[0]) <= wanted_db:
            best = float(ratio)
            break
    return best


def say_compressor(
    settings: CompressorSettings,
    spread_db: float,
    after_db: float,
    usual_peaks_dbfs: float,
    big_peaks_dbfs: float,
) -> Advice:
    """The compressor that was found, in words."""
    usual = reduction_at_db(settings, usual_peaks_dbfs)
    big = reduction_at_db(settings, big_peaks_dbfs)
    confidence: Confidence = "sure" if settings.ratio < MOST_RATIO else "unsure"
    return Advice(
        "compressor",
        f"{minus(settings.threshold_dbfs)}, {settings.ratio:.1f} : 1, makeup {settings.makeup_gain_db:.1f}",
        f"{spread_db:.0f} dB from low to big become {after_db:.0f}. Takes {usual:.0f} dB off usual peaks, "
        f"{big:.0f} off the big voice's.",
        confidence,
        settings,
        ("threshold_dbfs", "ratio", "makeup_gain_db", "attack_ms", "release_ms"),
    )


def no_compressor(spread_db: float, steadiness: Steadiness) -> Advice:
    """The voice is even enough."""
    return left_out(
        "compressor",
        f"From low to big are {spread_db:.0f} dB; {SPREAD_DB[steadiness]:.0f} are wished for.",
    )


# --- leveller and limiter -------------------------------------------------------------------------


def plan_leveller() -> Advice:
    """A few short takes tell nothing of hours."""
    return left_out(
        "leveller", "The takes are even now. Add it if you drift from the microphone over hours."
    )


def plan_limiter(ceiling_dbtp: float) -> Advice:
    """The ceiling a little under the feeds', so that the voice alone never meets theirs."""
    return Advice(
        "limiter",
        f"{minus(ceiling_dbtp)} dBTP",
        "Catches what the other stages let through.",
        "sure",
        LimiterSettings(ceiling_dbtp=ceiling_dbtp),
        ("ceiling_dbtp",),
    )
