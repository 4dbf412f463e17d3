"""What would help the words to be followed: each way is tried on what was heard."""

from dataclasses import dataclass

import numpy as np
from pydantic import BaseModel

from goshawk.core.chain_slots import EqSlot, find_stage
from goshawk.core.dsp.equaliser import EqualiserSettings
from goshawk.core.dsp.matched import bell, response_db
from goshawk.core.masking.ducking import ducker_changes, ducking
from goshawk.core.masking.index import BANDS_HZ, COVERED, LEAST_GAIN, WORDS_HZ
from goshawk.core.measure.clearance import background_peaks_dbfs, voice_peaks_dbfs
from goshawk.core.measure.intelligibility import (
    BAND_HZ,
    GOOD_SII,
    Hearing,
    band_powers,
    hearing,
    speech_pieces,
)
from goshawk.core.mix import Bands, HeardInputs, bands_of, contribution, contributions, peaks_of
from goshawk.core.rig import Rig, SettingValue, changed_together
from goshawk.core.rig_changes import stage_changes
from goshawk.core.routing import MOST_TRIM_DB, InputSettings
from goshawk.core.rules.balance import CLEARANCE_TOLERANCE_DB
from goshawk.core.stage import Floats
from goshawk.errors import BadSetting
from goshawk.units import db_to_power

DUCK_DEPTHS_DB = (6.0, 9.0, 12.0)
"""The least that is enough is suggested; more would be heard as pumping."""


STEP_DB = 3.0

DIP_DB, DIP_Q = -5.0, 0.9
"""About an octave and a half: as wide as consonants spread, and no deeper than music bears unheard."""

LIFT_DB, LIFT_Q = 2.5, 0.9


class Improvement(BaseModel):
    """One change, why, and what the index becomes by it on the seconds that it was tried on."""

    key: str
    title: str
    reason: str
    changes: dict[str, SettingValue]
    sii_before: float = 0.0
    sii_after: float


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
        powers = self.bands.others[name] * db_to_power(np.asarray(gain_db))
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
        place: tried.index_with(
            one.id, response_db(bell(BANDS_HZ[place], DIP_DB, DIP_Q)[None], BANDS_HZ)
        )
        for place in _places()
    }
    place = max(found, key=lambda place: found[place])
    hz = float(BAND_HZ[place])
    changes = _bell_changes(tried.rig, one, hz, DIP_DB, DIP_Q)
    if not changes:
        return None
    covered = [band for band in range(len(BAND_HZ)) if now.heard[band] < COVERED]
    near = [band for band in covered if abs(np.log2(BANDS_HZ[band] / hz)) < 1.0]
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
        gain = db_to_power(response_db(bell(BANDS_HZ[place], LIFT_DB, LIFT_Q)[None], BANDS_HZ))
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
