"""Preamp and trim: where the voice lands."""

from goshawk.core.dsp.trim import TrimSettings
from goshawk.core.rules.gain import LANDING_HIGH_DBFS, LANDING_LOW_DBFS, LANDING_MIDDLE_DBFS
from goshawk.core.rules.sound_check.advice import Advice, left_out
from goshawk.core.text.figures import minus


def plan_preamp(usual_peaks_dbfs: float, highest_dbfs: float) -> Advice:
    """For the hand: the landing zone of ``rules.gain``."""
    by = float(round(LANDING_MIDDLE_DBFS - usual_peaks_dbfs))
    said = f"Usual peaks reach {minus(usual_peaks_dbfs)} dBFS"
    zone = f"{minus(LANDING_LOW_DBFS)} to {minus(LANDING_HIGH_DBFS)}"
    if LANDING_LOW_DBFS <= round(usual_peaks_dbfs) <= LANDING_HIGH_DBFS:
        return Advice("preamp", "as it is", f"{said}; {zone} is healthy.")
    if by < 0 and highest_dbfs < -1.0 and usual_peaks_dbfs < LANDING_HIGH_DBFS + 3.0:
        return Advice("preamp", "as it is", f"{said}, a little high, but nothing clips.", "likely")
    return Advice(
        "preamp",
        f"{minus(by) if by < 0 else f'+{by:.0f}'} dB",
        f"{said}; {zone} is healthy. Turn it by hand, then take all again; until then the trim does it.",
    )


NO_MOVE_DB = 1.0


def say_gain(gain_db: float) -> str:
    """A gain with its sign."""
    return f"{'+' if gain_db > 0 else ''}{minus(gain_db, 1)} dB"


def plan_trim(usual_peaks_dbfs: float, has_compressor: bool, target_dbfs: float) -> Advice:
    """To the landing zone if a compressor's makeup follows, else to the target itself."""
    if has_compressor and LANDING_LOW_DBFS <= round(usual_peaks_dbfs) <= LANDING_HIGH_DBFS:
        return left_out("trim", f"Usual peaks reach {minus(usual_peaks_dbfs)} dBFS already.")
    goal = LANDING_MIDDLE_DBFS if has_compressor else target_dbfs
    gain = TrimSettings.held("gain_db", round(goal - usual_peaks_dbfs, 1))
    if abs(gain) < NO_MOVE_DB:
        return left_out("trim", f"Usual peaks reach {minus(usual_peaks_dbfs)} dBFS already.")
    return Advice(
        "trim",
        say_gain(gain),
        f"Brings usual peaks from {minus(usual_peaks_dbfs)} to {minus(usual_peaks_dbfs + gain)} dBFS.",
        settings=TrimSettings(gain_db=gain),
        names=("gain_db",),
    )


def make_up_trim(gain_db: float, taken_db: float) -> Advice:
    """A trim that is there only for what the other stages take off usual peaks, or add to them."""
    side = "takes off" if taken_db > 0 else "adds to"
    return Advice(
        "trim",
        say_gain(gain_db),
        f"Makes up for the {abs(taken_db):.0f} dB that the rest {side} usual peaks.",
        settings=TrimSettings(gain_db=gain_db),
        names=("gain_db",),
    )


# --- high-pass ------------------------------------------------------------------------------------
