"""What would let more of the voice be followed: each way tried on recorded seconds, with what the intelligibility
index becomes by it (ANSI S3.5-1997, see ``measure/intelligibility``).

The ways are those of a mixing desk: less of what covers, a dip where it covers, a dip while the voice speaks, a
little more of the voice where its words live. None moves anything by more than a few decibels at a time."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from goshawk.core.chain_slots import DuckerSlot, EqSlot, find_stage
from goshawk.core.dsp.ducker import CLOSES_BELOW_DB, DuckerSettings
from goshawk.core.dsp.equaliser import EqualiserSettings
from goshawk.core.dsp.matched import bell, response_db
from goshawk.core.measure.clearance import background_peaks_dbfs, voice_peaks_dbfs
from goshawk.core.measure.intelligibility import (
    BAND_HZ,
    GOOD_SII,
    IMPORTANCE,
    POOR_SII,
    Hearing,
    band_powers,
    hearing,
    speech_pieces,
)
from goshawk.core.measure.levels import PAUSE, SPEECH
from goshawk.core.mix import Bands, HeardInputs, bands_of, contribution, contributions, peaks_of
from goshawk.core.rig import Rig, SettingValue, changed_together, stage_changes
from goshawk.core.rules.balance import CLEARANCE_TOLERANCE_DB
from goshawk.core.stage import Floats
from goshawk.core.wiring import MOST_TRIM_DB, InputSettings
from goshawk.errors import BadSetting

LEAST_GAIN = 0.01
"""An index that grows by less is not worth a change."""

DIP_DB, DIP_Q = -5.0, 0.9
"""About an octave and a half: as wide as consonants spread, and no deeper than music bears unheard."""

LIFT_DB, LIFT_Q = 2.5, 0.9
WORDS_HZ = (800.0, 5000.0)
"""The bands of most importance lie here."""

DUCK_DEPTHS_DB = (6.0, 9.0, 12.0)
"""The least that is enough is suggested; more would be heard as pumping."""

STEP_DB = 3.0
COVERED = 0.5
"""A band of which less is heard counts as covered: the rest is as loud there as the voice."""

LOUD_SHARE = 10.0
"""Percentile of the index by seconds of speech that is called "in loud moments"."""

PIECES_A_SECOND = 25

_HZ: Floats = np.array(BAND_HZ, float)


class BandSight(BaseModel):
    """One third-octave band while the voice speaks: levels in dB SPL at a viewer who hears the voice as loudly as
    normal speech, how much of the voice is heard (0 to 1), whether that counts as covered, its importance, and who
    covers it most."""

    hz: int
    voice_db: float
    rest_db: float
    heard: float
    is_covered: bool
    importance: float
    by: str


class Improvement(BaseModel):
    """One change, why, and what the index becomes by it on the seconds that it was tried on."""

    key: str
    title: str
    reason: str
    changes: dict[str, SettingValue]
    sii_before: float = 0.0
    sii_after: float


class Sight(BaseModel):
    """What a viewer can follow, over some seconds; ``waits_for`` says what is missing where it cannot be told.
    From ``good_from`` on the index is good."""

    seconds: float
    speech_s: float
    waits_for: str
    sii: float | None
    sii_in_loud_moments: float | None
    good_from: float = GOOD_SII
    text: str
    bands: list[BandSight]


def words_for(index: float) -> str:
    """The index in words."""
    if index >= GOOD_SII:
        return "good: every word is followed"
    return "fair: some words are lost" if index >= POOR_SII else "poor: many words are lost"


def sight_of(rig: Rig, heard: HeardInputs, bands: Bands) -> Sight:
    """What can be followed over the seconds heard."""
    seconds, speech_s = len(heard.activity) / 100.0, float((heard.activity == SPEECH).sum()) / 100.0
    if not bands.is_enough:
        voice = rig.voice
        waits = "half a second of your voice" if voice else "a main voice"
        return Sight(
            seconds=seconds,
            speech_s=speech_s,
            waits_for=waits,
            sii=None,
            sii_in_loud_moments=None,
            text=f"waiting for {waits}",
            bands=[],
        )
    found = bands.hearing()
    means = {name: powers.mean(axis=0) for name, powers in bands.others.items()}
    sights = []
    for place, hz in enumerate(BAND_HZ):
        loudest = max(means, key=lambda name: float(means[name][place]), default="")
        sights.append(
            BandSight(
                hz=hz,
                voice_db=round(float(found.voice_db[place]), 1),
                rest_db=round(max(-20.0, float(found.rest_db[place])), 1),
                heard=round(float(found.heard[place]), 2),
                is_covered=bool(found.heard[place] < COVERED),
                importance=float(IMPORTANCE[place]),
                by=loudest,
            )
        )
    return Sight(
        seconds=seconds,
        speech_s=speech_s,
        waits_for="",
        sii=round(found.index, 3),
        sii_in_loud_moments=round(in_loud_moments(bands), 3),
        text=words_for(found.index),
        bands=sights,
    )


def in_loud_moments(bands: Bands) -> float:
    """The index while the rest is loudest: of each second of speech, the voice as over all of it."""
    voice, rest = bands.voice.mean(axis=0), bands.rest()
    count = max(1, len(rest) // PIECES_A_SECOND)
    found = [hearing(voice, part.mean(axis=0)).index for part in np.array_split(rest, count)]
    return float(np.percentile(found, LOUD_SHARE))


@dataclass(frozen=True)
class _Tried:
    """What improvements are made from."""

    rig: Rig
    heard: HeardInputs
    bands: Bands
    voice_dbfs: float
    peaks_dbfs: dict[str, float]

    def named(self, input_id: str) -> InputSettings:
        return next(one for one in self.rig.inputs if one.id == input_id)

    def off_db(self, one: InputSettings) -> float | None:
        """How far an input is above its target; None if it does not play."""
        peaks = self.peaks_dbfs.get(one.id)
        if peaks is None:
            return None
        return self.rig.targets.clearance_db(one.role) - (self.voice_dbfs - peaks)

    def index_with(self, name: str, gain_db: Floats | float) -> float:
        """The index with another input changed by a gain, in all bands or each."""
        powers = self.bands.others[name] * 10.0 ** (np.asarray(gain_db) / 10.0)
        return self.bands.with_other(name, powers).hearing().index


def improvements(rig: Rig, heard: HeardInputs) -> list[Improvement]:
    """What would help, the most helpful first; each was tried alone on the seconds heard."""
    parts = contributions(rig, heard)
    bands = bands_of(rig, parts, heard.activity)
    voice = parts.get(rig.chained)
    if voice is None or not bands.is_enough:
        return []
    voice_dbfs = voice_peaks_dbfs(peaks_of(voice), heard.activity)
    if voice_dbfs is None:
        return []
    peaks = {
        name: level
        for name in bands.others
        if (level := background_peaks_dbfs(peaks_of(parts[name]))) is not None
    }
    tried = _Tried(rig, heard, bands, voice_dbfs, peaks)
    now = bands.hearing()
    made = [*_too_loud(tried)]
    worst = _worst(tried, now)
    if worst and now.index < GOOD_SII:
        one = tried.named(worst)
        made += [
            found
            for found in (_dip(tried, one, now), _duck(tried, one), _further(tried, one))
            if found
        ]
    lift = _lift(tried) if now.index < GOOD_SII else None
    made += [lift] if lift else []
    helpful = [
        one.model_copy(
            update={"sii_before": round(now.index, 3), "sii_after": round(one.sii_after, 3)}
        )
        for one in made
        if one.sii_after - now.index >= LEAST_GAIN and _is_allowed(rig, one)
    ]
    return sorted(helpful, key=lambda one: -one.sii_after)


def _is_allowed(rig: Rig, one: Improvement) -> bool:
    """Whether the rig takes a change: some would go beyond a setting's range."""
    try:
        changed_together(rig, one.changes)
    except BadSetting:
        return False
    return True


def _worst(tried: _Tried, now: Hearing) -> str:
    """Who covers most: without whom the index would be greatest."""
    others = [name for name, powers in tried.bands.others.items() if powers.any()]
    gains = {name: tried.index_with(name, -60.0) - now.index for name in others}
    return max(gains, key=lambda name: gains[name], default="")


def _too_loud(tried: _Tried) -> list[Improvement]:
    made = []
    for one in tried.rig.inputs:
        off = tried.off_db(one)
        if one.id not in tried.bands.others or off is None or off <= CLEARANCE_TOLERANCE_DB:
            continue
        trim_db = round(max(-MOST_TRIM_DB, one.trim_db - off), 1)
        wanted = tried.rig.targets.clearance_db(one.role)
        made.append(
            Improvement(
                key=f"target:{one.id}",
                title=f"{one.name} {off:.1f} dB down",
                reason=f"puts it {wanted:g} dB under your peaks, where you want it",
                changes={f"inputs.{one.id}.trim_db": trim_db},
                sii_after=tried.index_with(one.id, trim_db - one.trim_db),
            )
        )
    return made


def _further(tried: _Tried, one: InputSettings) -> Improvement | None:
    """More clearance than the target asks for: the target moves with it."""
    off = tried.off_db(one)
    if off is None or off > CLEARANCE_TOLERANCE_DB or one.role == "voice":
        return None
    path = f"targets.{one.role}_clearance_db"
    wanted = tried.rig.targets.clearance_db(one.role) + STEP_DB
    trim_db = round(one.trim_db - STEP_DB, 1)
    return Improvement(
        key=f"further:{one.id}",
        title=f"{one.name} {STEP_DB:g} dB further down",
        reason=f"and {wanted:g} dB under you is its target from now on",
        changes={f"inputs.{one.id}.trim_db": trim_db, path: wanted},
        sii_after=tried.index_with(one.id, -STEP_DB),
    )


def free_bell(settings: EqualiserSettings, hz: float) -> str:
    """The bell that does nothing yet and lies nearest to a frequency; "" if all are in use."""
    free = {
        f"bell_{place}": abs(np.log2(band.frequency_hz / hz))
        for place, band in enumerate(settings.bells, 1)
        if band.gain_db == 0.0 or not band.is_on
    }
    return min(free, key=lambda name: free[name], default="")


def _bell_changes(
    rig: Rig, one: InputSettings, hz: float, gain_db: float, q: float
) -> dict[str, SettingValue]:
    """A free bell of an input's EQ, put to work; empty if there is none."""
    slot = find_stage(one.chain, "eq")
    name = free_bell(slot.settings if isinstance(slot, EqSlot) else EqualiserSettings(), hz)
    values: dict[str, float | bool | str] = {
        f"{name}.is_on": True,
        f"{name}.frequency_hz": hz,
        f"{name}.gain_db": gain_db,
        f"{name}.q": q,
    }
    return stage_changes(rig, one, "eq", values) if name else {}


def _places() -> list[int]:
    return [place for place, hz in enumerate(BAND_HZ) if WORDS_HZ[0] <= hz <= WORDS_HZ[1]]


def _dip(tried: _Tried, one: InputSettings, now: Hearing) -> Improvement | None:
    """A dip in what covers, where words live."""
    found = {
        place: tried.index_with(one.id, response_db(bell(_HZ[place], DIP_DB, DIP_Q)[None], _HZ))
        for place in _places()
    }
    place = max(found, key=lambda place: found[place])
    hz = float(BAND_HZ[place])
    changes = _bell_changes(tried.rig, one, hz, DIP_DB, DIP_Q)
    if not changes:
        return None
    covered = [band for band in range(len(BAND_HZ)) if now.heard[band] < COVERED]
    near = [band for band in covered if abs(np.log2(_HZ[band] / hz)) < 1.0]
    where = _hertz(int(hz))
    if len(near) > 1:
        where = f"{_hertz(BAND_HZ[near[0]])} to {_hertz(BAND_HZ[near[-1]])}"
    return Improvement(
        key=f"dip:{one.id}",
        title=f"{one.name}: {-DIP_DB:g} dB less around {_hertz(int(hz))}",
        reason=f"{where} is where it covers your words",
        changes=changes,
        sii_after=found[place],
    )


def _hertz(hz: int) -> str:
    return f"{hz / 1000:g} kHz" if hz >= 1000 else f"{hz} Hz"


def _lift(tried: _Tried) -> Improvement | None:
    """A little more of the voice where it is covered; what compressor and limiter make of it is left out."""
    main = tried.rig.voice
    if main is None:
        return None
    voice, rest = tried.bands.voice.mean(axis=0), tried.bands.rest().mean(axis=0)
    found = {}
    for place in _places():
        gain = 10.0 ** (response_db(bell(_HZ[place], LIFT_DB, LIFT_Q)[None], _HZ) / 10.0)
        found[place] = hearing(voice * gain, rest).index
    place = max(found, key=lambda place: found[place])
    hz = float(BAND_HZ[place])
    changes = _bell_changes(tried.rig, main, hz, LIFT_DB, LIFT_Q)
    if not changes:
        return None
    return Improvement(
        key="lift",
        title=f"Your voice {LIFT_DB:g} dB up around {_hertz(int(hz))}",
        reason="small enough not to sound sharp",
        changes=changes,
        sii_after=found[place],
    )


LEAKS_BELOW_DB = 20.0
"""A game on loudspeakers, or in open headphones, reaches the microphone up to this close to the voice."""

LEAK_MARGIN_DB = 3.0


def ducking(heard: HeardInputs, rig: Rig, input_id: str, depth_db: float) -> DuckerSettings:
    """A ducker for an input, from what was measured at its key: it opens halfway (in dB) between the pauses and the
    quiet end of speech, but never so low that what leaks into the microphone LEAKS_BELOW_DB under the voice could
    open it or keep it open; it holds through the pauses between words, so that it comes back between sentences."""
    peaks = peaks_of(heard.key)
    activity = heard.activity[: len(peaks)]
    peaks = peaks[: len(activity)]
    speech, pauses = peaks[activity == SPEECH], peaks[activity == PAUSE]
    one = next(one for one in rig.inputs if one.id == input_id)
    slot = find_stage(one.chain, "ducker")
    was = slot.settings if isinstance(slot, DuckerSlot) else DuckerSettings()
    threshold = was.threshold_dbfs
    if len(speech):
        loud, quiet = np.percentile(speech, (95, 10))
        floor = np.percentile(pauses, 95) if len(pauses) else QUIETEST_KEY_DBFS
        halfway = (quiet + max(floor, QUIETEST_KEY_DBFS)) / 2.0
        over_leak = loud - LEAKS_BELOW_DB + CLOSES_BELOW_DB + LEAK_MARGIN_DB
        threshold = round(float(max(halfway, over_leak)), 1)
    gaps = _gaps_ms(activity)
    hold = float(np.percentile(gaps, 75)) if len(gaps) else was.hold_ms
    return was.model_copy(
        update={
            "depth_db": depth_db,
            "threshold_dbfs": threshold,
            "hold_ms": round(max(SHORTEST_HOLD_MS, min(LONGEST_HOLD_MS, hold)), -1),
        }
    )


QUIETEST_KEY_DBFS = -70.0
SHORTEST_HOLD_MS, LONGEST_HOLD_MS = 250.0, 600.0
"""Shorter and it flutters between syllables; longer and the game never comes back."""

LONGEST_GAP_MS = 800.0
"""A longer silence ends a sentence: the background may come back."""


def _gaps_ms(activity: NDArray[np.integer]) -> Floats:
    """How long the silences within sentences last."""
    is_speech = np.concatenate([[0], (activity == SPEECH).astype(int), [0]])
    ends, begins = np.flatnonzero(np.diff(is_speech) < 0), np.flatnonzero(np.diff(is_speech) > 0)
    gaps = (begins[1:] - ends[:-1]).astype(float) * 10.0
    within: Floats = gaps[gaps < LONGEST_GAP_MS]
    return within


def _duck(tried: _Tried, one: InputSettings) -> Improvement | None:
    """A dip while the voice speaks, the least that makes every word be followed."""
    if one.sends.viewers.tap == "as_it_came" or any(
        slot.stage == "ducker" and not slot.is_bypassed for slot in one.chain
    ):
        return None
    starts = speech_pieces(tried.heard.activity, len(tried.heard.key))
    made = None
    for depth_db in DUCK_DEPTHS_DB:
        settings = ducking(tried.heard, tried.rig, one.id, depth_db)
        changes = ducker_changes(tried.rig, one, settings)
        rig = changed_together(tried.rig, changes)
        part = contribution(rig, next(x for x in rig.inputs if x.id == one.id), tried.heard)
        index = tried.bands.with_other(one.id, band_powers(part, starts)).hearing().index
        made = Improvement(
            key=f"duck:{one.id}",
            title=f"{one.name} dips {depth_db:g} dB while you speak",
            reason=(
                f"in {settings.attack_ms:g} ms, back {settings.hold_ms:g} ms after your last word; "
                "in your pauses it is as loud as before"
            ),
            changes=changes,
            sii_after=index,
        )
        if index >= GOOD_SII:
            break
    return made


def ducker_changes(
    rig: Rig, one: InputSettings, settings: DuckerSettings
) -> dict[str, SettingValue]:
    """What makes an input dip so."""
    return stage_changes(
        rig,
        one,
        "ducker",
        {name: getattr(settings, name) for name in ("depth_db", "threshold_dbfs", "hold_ms")},
    )


LEAST_DEPTH_DB, MOST_DEPTH_DB = 4.0, 12.0
LOUD_PASSAGES = 90.0
"""Percentile of an input's seconds that are its loud passages."""


def suggested_ducker(rig: Rig, heard: HeardInputs, one: InputSettings) -> DuckerSettings:
    """A ducker deep enough that the loud passages stand at the target too: by as much as their peaks stand over
    those of the input on the whole."""
    peaks = peaks_of(contribution(rig, one, heard))
    seconds = [part for part in np.array_split(peaks, max(1, len(peaks) // 100)) if len(part)]
    loud = np.percentile([part.max() for part in seconds], LOUD_PASSAGES) if seconds else 0.0
    usual = background_peaks_dbfs(peaks)
    over = float(loud) - usual if usual is not None else 0.0
    depth = round(max(LEAST_DEPTH_DB, min(MOST_DEPTH_DB, over + LEAST_DEPTH_DB)) * 2.0) / 2.0
    return ducking(heard, rig, one.id, depth)
