"""EQ: high- and low-pass, two shelves and six bells, in a row.

Each band is a second-order section matched to its analogue prototype up to 16 kHz (see ``matched``); a pass
filter of 24 dB per octave has two. Bands that are off or at 0 dB cost nothing.
"""

import math
from typing import Any

import numpy as np

from goshawk.core.dsp.filter_bank import FilterStage
from goshawk.core.dsp.high_pass import Slope
from goshawk.core.dsp.matched import (
    BUTTERWORTH_Q,
    UNITY,
    bell,
    high_pass,
    high_shelf,
    low_pass,
    low_shelf,
)
from goshawk.core.dsp.zones import ZONES
from goshawk.core.settings import Reads, Settings, choice, number
from goshawk.core.stage import Floats

MOST_GAIN_DB = 15.0
BOLD_BOOST_DB = 5.0
"""A boost above this is bold: it lifts the room too, and usually means the cut belongs elsewhere."""

HIGH_PASS, LOW_PASS, LOW_SHELF, HIGH_SHELF, FIRST_BELL = 0, 2, 4, 5, 6
BELLS = 6
SECTIONS = FIRST_BELL + BELLS


def _zones_between(low_hz: float, high_hz: float) -> Reads:
    """In which zone of a voice a frequency lies."""
    there = [zone for zone in ZONES if zone.to_hz > low_hz and zone.from_hz < high_hz]
    return tuple((max(low_hz, zone.from_hz), f"lies in {zone.name}") for zone in there)


def _gain() -> Any:
    return number(
        0.0,
        -MOST_GAIN_DB,
        MOST_GAIN_DB,
        "dB",
        "Gain",
        "Boosts or cuts this band.",
        reads=(
            (-MOST_GAIN_DB, "removes nearly all of it"),
            (-8.0, "cuts strongly"),
            (-3.0, "cuts a little"),
            (-0.3, "changes nothing"),
            (0.4, "boosts a little"),
            (BOLD_BOOST_DB, "boosts strongly, including room noise"),
        ),
    )


class PassBand(Settings):
    """High-pass or low-pass band: removes everything beyond its cutoff."""

    is_on: bool = choice(False, "On", "Turns this filter on.")
    slope_db_per_octave: Slope = choice(12, "Slope", "Steepness in dB per octave.")


class HighPassBand(PassBand):
    """Removes the lows."""

    frequency_hz: float = number(
        80.0,
        20.0,
        400.0,
        "Hz",
        "Cutoff",
        "Removes everything below this frequency.",
        step=1.0,
        taper="log",
        reads=(
            (20, "removes what is felt rather than heard"),
            (60, "removes rumble"),
            (110, "removes thumps; a deep voice gets thinner"),
            (180, "makes most voices thin"),
        ),
    )


class LowPassBand(PassBand):
    """Removes the highs."""

    frequency_hz: float = number(
        16_000.0,
        3_000.0,
        20_000.0,
        "Hz",
        "Cutoff",
        "Removes everything above this frequency.",
        step=100.0,
        taper="log",
        reads=(
            (3000, "sounds like a telephone"),
            (7000, "removes s sounds"),
            (12000, "removes air and hiss"),
            (17000, "removes what few people can hear"),
        ),
    )


class LowShelfBand(Settings):
    """Lifts or lowers everything under its frequency."""

    is_on: bool = choice(True, "On", "Turns this band on.")
    frequency_hz: float = number(
        150.0,
        30.0,
        1_000.0,
        "Hz",
        "Frequency",
        "Half its gain is here.",
        step=1.0,
        taper="log",
        reads=_zones_between(30.0, 1_000.0),
    )
    gain_db: float = _gain()


class HighShelfBand(Settings):
    """Lifts or lowers everything over its frequency."""

    is_on: bool = choice(True, "On", "Turns this band on.")
    frequency_hz: float = number(
        8_000.0,
        1_000.0,
        10_000.0,
        "Hz",
        "Frequency",
        "Half its gain is here.",
        step=50.0,
        taper="log",
        reads=_zones_between(1_000.0, 10_000.0),
    )
    gain_db: float = _gain()


class BellBand(Settings):
    """Lifts or lowers what lies around its frequency."""

    is_on: bool = choice(True, "On", "Turns this band on.")
    frequency_hz: float = number(
        1_000.0,
        20.0,
        16_000.0,
        "Hz",
        "Frequency",
        "The middle of this band.",
        step=1.0,
        taper="log",
        reads=_zones_between(20.0, 16_000.0),
    )
    gain_db: float = _gain()
    q: float = number(
        1.4,
        0.4,
        12.0,
        "",
        "Q",
        "How narrow: 0.7 is two octaves, 4 a third of one.",
        taper="log",
        reads=(
            (0.4, "reaches over several octaves"),
            (1, "reaches over an octave or more"),
            (3, "reaches over a few notes"),
            (7, "is a narrow cut, for one ringing note"),
        ),
    )


class EqualiserSettings(Settings):
    """Settings of the EQ; the bells begin in the voice's zones."""

    high_pass: HighPassBand = HighPassBand()
    low_shelf: LowShelfBand = LowShelfBand()
    bell_1: BellBand = BellBand(frequency_hz=220.0)
    bell_2: BellBand = BellBand(frequency_hz=400.0)
    bell_3: BellBand = BellBand(frequency_hz=900.0)
    bell_4: BellBand = BellBand(frequency_hz=2_500.0)
    bell_5: BellBand = BellBand(frequency_hz=4_500.0)
    bell_6: BellBand = BellBand(frequency_hz=7_000.0)
    high_shelf: HighShelfBand = HighShelfBand()
    low_pass: LowPassBand = LowPassBand()

    @property
    def bells(self) -> tuple[BellBand, ...]:
        """The six bells."""
        return (self.bell_1, self.bell_2, self.bell_3, self.bell_4, self.bell_5, self.bell_6)


class Equaliser(FilterStage[EqualiserSettings]):
    """The EQ; what is off passes everything."""

    @staticmethod
    def sections(settings: EqualiserSettings) -> Floats:
        sections = np.tile(UNITY, (SECTIONS, 1))
        lows, highs = settings.high_pass, settings.low_pass
        if lows.is_on:
            for place, q in enumerate(BUTTERWORTH_Q[lows.slope_db_per_octave], HIGH_PASS):
                sections[place] = high_pass(lows.frequency_hz, q)
        if highs.is_on:
            for place, q in enumerate(BUTTERWORTH_Q[highs.slope_db_per_octave], LOW_PASS):
                sections[place] = low_pass(highs.frequency_hz, q)
        if settings.low_shelf.is_on:
            sections[LOW_SHELF] = low_shelf(
                settings.low_shelf.frequency_hz, settings.low_shelf.gain_db
            )
        if settings.high_shelf.is_on:
            sections[HIGH_SHELF] = high_shelf(
                settings.high_shelf.frequency_hz, settings.high_shelf.gain_db
            )
        for place, band in enumerate(settings.bells, FIRST_BELL):
            if band.is_on:
                sections[place] = bell(band.frequency_hz, band.gain_db, band.q)
        return sections


def band_alone_sections(settings: EqualiserSettings, band: str) -> Floats:
    """Filters that leave only what a band works on, shape (2, 5): a bell's width, a shelf's side of its
    frequency, what a high-pass or low-pass takes away. An unknown band leaves everything."""
    sections = np.tile(UNITY, (2, 1))
    q = BUTTERWORTH_Q[12][0]
    own = getattr(settings, band, None)
    if isinstance(own, BellBand):
        # Half the bandwidth in octaves, as Q gives it (Bristow-Johnson's cookbook).
        half = math.asinh(0.5 / own.q) / math.log(2.0)
        sections[0] = high_pass(max(20.0, own.frequency_hz * 2.0**-half), q)
        sections[1] = low_pass(min(20_000.0, own.frequency_hz * 2.0**half), q)
    elif band in ("low_shelf", "high_pass") and own is not None:
        sections[0] = low_pass(own.frequency_hz, q)
    elif band in ("high_shelf", "low_pass") and own is not None:
        sections[0] = high_pass(own.frequency_hz, q)
    return sections
