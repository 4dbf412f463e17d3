"""Which bands of the voice are covered, by whom, and how well its words are followed."""

import numpy as np
from pydantic import BaseModel

from goshawk.core.measure.intelligibility import BAND_HZ, GOOD_SII, IMPORTANCE, POOR_SII, hearing
from goshawk.core.measure.levels import SPEECH
from goshawk.core.mix import Bands, HeardInputs
from goshawk.core.rig import Rig
from goshawk.core.stage import Floats

LEAST_GAIN = 0.01
"""An index that grows by less is not worth a change."""


WORDS_HZ = (800.0, 5000.0)
"""The bands of most importance lie here."""


COVERED = 0.5
"""A band of which less is heard counts as covered: the rest is as loud there as the voice."""


LOUD_SHARE = 10.0
"""Percentile of the index by seconds of speech that is called "in loud moments"."""


PIECES_A_SECOND = 25


BANDS_HZ: Floats = np.array(BAND_HZ, float)


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
