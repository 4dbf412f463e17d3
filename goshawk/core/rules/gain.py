"""Advice on the microphone's gain: how far to turn the preamp so that usual speech has a healthy level
at the converter, with room left for a shout.

The landing zone is the trade's rule for 24-bit converters: usual speech peaks 10 to 18 dB under full
scale, so that a laugh or shout, which is 10 to 15 dB louder, still passes unclipped, and the voice
stands far above the converter's own noise.
"""

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from goshawk.core.device_info import Known, info_of
from goshawk.core.measure.levels import HOP_MS, SPEECH
from goshawk.core.measure.percentiles import median, percentiles
from goshawk.core.rig import Rig, knob
from goshawk.core.routing import MOST_PREAMP_GAIN_DB
from goshawk.core.rules.finding import Mend
from goshawk.core.stage import Floats
from goshawk.core.text.figures import minus
from goshawk.units import CLIPPED_DBFS

LANDING_LOW_DBFS = -18.0
LANDING_HIGH_DBFS = -10.0
LANDING_MIDDLE_DBFS = (LANDING_LOW_DBFS + LANDING_HIGH_DBFS) / 2.0
LOUDEST_DBFS = -3.0
"""The loudest moment should not be above this."""

LEAST_SPEECH_HOPS = 300
"""Three seconds of speech: fewer tell of a word, not of a voice."""

WANTED_SPEECH_S = 20.0
LONGEST_MINUTE_S = 60.0
"""The guided minute ends when it has heard so much speech, or when it is over."""

PEAKS_OVER_MEDIAN_DB = 6.0
"""In connected speech the 95th percentile of the 10 ms peaks stands about 6 dB above their median
(5.0 to 5.8 on the demo's voice; livelier voices more, for which the advice is followed twice). It
estimates the true level of a clipped voice, whose highest peaks are cut off but whose median is less."""

MANY_CLIPPED = 0.02
"""A single full-scale moment may be a knock on the desk; one in fifty is the voice."""


class GainAdvice(BaseModel):
    """What to do about the microphone's gain. ``by_db`` is positive for more gain."""

    verdict: Literal["waiting", "good", "raise", "lower"]
    text: str
    usual_peaks_dbfs: float | None = None
    highest_dbfs: float | None = None
    is_clipping: bool = False
    by_db: float = 0.0
    mend: Mend | None = None
    landing_low_dbfs: float = LANDING_LOW_DBFS
    landing_high_dbfs: float = LANDING_HIGH_DBFS
    loudest_dbfs: float = LOUDEST_DBFS


def usual_peaks_dbfs(
    peaks_dbfs: Floats, activity: NDArray[np.integer]
) -> tuple[float, bool] | None:
    """95th percentile of the peaks in speech, and whether the converter clips them.

    Of a clipped voice the level it would have had is estimated. None from too little speech."""
    speech = peaks_dbfs[activity == SPEECH]
    if len(speech) < LEAST_SPEECH_HOPS:
        return None
    measured = percentiles(speech, 95)[0]
    is_clipping = float(np.mean(speech >= CLIPPED_DBFS)) > MANY_CLIPPED
    if is_clipping:
        return max(measured, median(speech) + PEAKS_OVER_MEDIAN_DB), True
    return measured, False


def gain_advice(
    peaks_dbfs: Floats,
    activity: NDArray[np.integer],
    rig: Rig,
    known: Known,
    *,
    is_whole: bool = False,
) -> GainAdvice:
    """Advice from the microphone's 10 ms peaks, shape (n,), in dBFS, and their activity.

    Some devices' preamps can be set from here; else the sentence is for the hand. ``is_whole``:
    the peaks are a guided minute's, so that the loudest of them counts too.
    """
    found = usual_peaks_dbfs(peaks_dbfs, activity)
    if found is None:
        return GainAdvice(verdict="waiting", text="Talk as you do on air, for some seconds.")
    usual, is_clipping = found
    highest = float(peaks_dbfs[activity == SPEECH].max())
    shown = minus(min(usual, 0.0))
    by_db = float(round(LANDING_MIDDLE_DBFS - usual))
    reason = (
        "Your voice reaches full scale and is clipped"
        if is_clipping
        else f"Your usual peaks reach {shown} dBFS"
    )
    is_landed = not is_clipping and LANDING_LOW_DBFS <= usual <= LANDING_HIGH_DBFS
    if is_landed and is_whole and highest > LOUDEST_DBFS:
        # Down until the loudest fits, but not out of the zone.
        by_db = -float(min(np.ceil(highest - LOUDEST_DBFS), np.floor(usual - LANDING_LOW_DBFS)))
        reason = f"Your loudest moment reaches {minus(highest)} dBFS, which leaves no room"
        is_landed = by_db == 0.0
    if is_landed:
        return GainAdvice(
            verdict="good",
            text=f"Your usual peaks reach {shown} dBFS: a good level, with room for a shout.",
            usual_peaks_dbfs=usual,
            highest_dbfs=highest,
        )
    word = "up" if by_db > 0 else "down"
    mend = None
    preamp_path = info_of(known, rig.voice.device).preamp_path if rig.voice else ""
    if preamp_path:
        gain = min(MOST_PREAMP_GAIN_DB, max(0.0, knob(rig, preamp_path) + by_db))
        mend = Mend(label=f"Preamp at {gain:.0f} dB", changes={preamp_path: gain})
    return GainAdvice(
        verdict="raise" if by_db > 0 else "lower",
        text=f"{reason}. Turn the preamp {word} by {abs(by_db):.0f} dB.",
        usual_peaks_dbfs=usual,
        highest_dbfs=highest,
        is_clipping=is_clipping,
        by_db=by_db,
        mend=mend,
    )


class GainMinute(BaseModel):
    """How the guided minute stands."""

    is_running: bool = False
    elapsed_s: float = 0.0
    speech_s: float = 0.0
    wanted_speech_s: float = WANTED_SPEECH_S
    longest_s: float = LONGEST_MINUTE_S
    result: GainAdvice | None = None


class GainCheck:
    """Runs the guided minute on the hops as they come."""

    def __init__(self) -> None:
        self.minute = GainMinute()
        self._peaks: list[Floats] = []
        self._activity: list[NDArray[np.integer]] = []

    def start(self) -> None:
        """Begin a minute; an older one is forgotten."""
        self.minute = GainMinute(is_running=True)
        self._peaks, self._activity = [], []

    def stop(self) -> None:
        """Break off; what was found before stays forgotten."""
        self.minute = GainMinute()

    def push(
        self, peaks_dbfs: Floats, activity: NDArray[np.integer], rig: Rig, known: Known
    ) -> None:
        """Take the newest hops of the microphone."""
        if not self.minute.is_running:
            return
        self._peaks.append(peaks_dbfs)
        self._activity.append(activity)
        said = np.concatenate(self._activity)
        elapsed_s = len(said) * HOP_MS / 1000.0
        speech_s = float((said == SPEECH).sum()) * HOP_MS / 1000.0
        is_over = speech_s >= WANTED_SPEECH_S or elapsed_s >= LONGEST_MINUTE_S
        result = None
        if is_over:
            result = gain_advice(np.concatenate(self._peaks), said, rig, known, is_whole=True)
            if result.verdict == "waiting":
                result = result.model_copy(
                    update={"text": "There was too little speech. Check the microphone, and talk."}
                )
        self.minute = GainMinute(
            is_running=not is_over,
            elapsed_s=round(elapsed_s, 1),
            speech_s=round(speech_s, 1),
            result=result,
        )
