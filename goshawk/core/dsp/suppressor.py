"""Suppressor: takes the room's steady noise out from under the voice.

Short-time spectra of 20 ms with a hop of 5 ms, root-Hann windows before and after, which add up to the
sound itself where nothing is taken away (Ephraim and Malah's analysis-synthesis; see ``spectral_gain``
for the gain and the noise estimate, ``clatter`` for keys and clicks).

The room is learned once on request, as a mean power in each bin, and followed afterwards. What was learned
is the starting point whenever the stage begins anew.

What it knows of voices (``voice_model``) takes more where nobody speaks, twice over, and less where somebody does; in decibels, by
as much as it is let. Where a voice has a pitch, the noise between its harmonics is averaged away, and what repeats with it is kept,
whatever the model makes of it (``pitch_comb``), and where the room was learned the lows are looked at more finely (``fine_lows``). All of it sees the window that
is about to go out and what was before it, so that no delay is added.
"""

import math
from typing import Self

import numpy as np
from pydantic import Field, model_validator

from goshawk.core.compiled import kernel
from goshawk.core.dsp.bands import LEAST_DB, band_weights, in_db
from goshawk.core.dsp.clatter import LOOK_AHEAD_FRAMES, ClatterSoftener
from goshawk.core.dsp.fast_math import exp2
from goshawk.core.dsp.fine_lows import (
    FINE_BINS,
    FINE_FRAMES,
    MORE_POWER,
    PIECES,
    SHORT_FRAMES,
    TAPS,
    add_finer,
    between_bins,
    look_finely,
    thin_out,
)
from goshawk.core.dsp.pitch_comb import (
    COMB_BANDS,
    LONGEST_FRAMES,
    THINNED,
    average,
    find_period,
    keep_what_repeats,
    places_of_bins,
    voiced_bins,
)
from goshawk.core.dsp.sliding import Integers
from goshawk.core.dsp.spectral_gain import (
    COUNT,
    GAIN,
    LEAST,
    NEIGHBOURS,
    NOISE,
    RECENT,
    ROWS,
    SCRATCH,
    SUB_WINDOWS,
    find_gains,
    follow_minima,
    follow_noise,
)
from goshawk.core.dsp.voice_features import (
    BANDS,
    FEATURES,
    PAST_HOPS,
    Singles,
    band_sizes,
    corners_of_bins,
    see,
)
from goshawk.core.dsp.voice_model import TURNS, UNITS, advance, weights
from goshawk.core.settings import Settings, number
from goshawk.core.stage import Block, Floats, Stage, StageReading
from goshawk.core.steps import Step
from goshawk.units import (
    SAMPLE_RATE_HZ,
    SILENCE_LINEAR,
    db_to_linear,
    db_to_power,
    linear_to_db,
    ms_to_frames,
    power_to_db,
)

WINDOW_FRAMES = ms_to_frames(20.0)
HOP_FRAMES = ms_to_frames(5.0)
BINS = WINDOW_FRAMES // 2 + 1
HOPS_OF_WINDOW, HOPS_OF_FINE_WINDOW = WINDOW_FRAMES // HOP_FRAMES, FINE_FRAMES // HOP_FRAMES
HOPS_PER_S = SAMPLE_RATE_HZ / HOP_FRAMES

assert WINDOW_FRAMES == LOOK_AHEAD_FRAMES, "keys are softened when they come out"
assert WINDOW_FRAMES == SHORT_FRAMES, "the finer look adds to these windows"

WINDOW = np.sqrt(0.5 - 0.5 * np.cos(2.0 * np.pi * np.arange(WINDOW_FRAMES) / WINDOW_FRAMES))
_WINDOWS = np.stack([WINDOW, WINDOW * (2.0 * HOP_FRAMES / WINDOW_FRAMES)])
"""Of analysis and of synthesis. The transforms inside the kernels are NumPy's, which rocket-fft brings to numba."""

LEAST_POWER = float((WINDOW**2).sum()) * SILENCE_LINEAR**2
"""What digital silence counts as, in one bin."""

FULL_POWER = float(WINDOW_FRAMES / 2)
"""White noise of RMS 1 has this power in each bin."""


_BAND_WEIGHTS = band_weights(WINDOW_FRAMES)
_BAND_WIDTHS = _BAND_WEIGHTS.sum(axis=1)


def power_spectrum(frames: Floats) -> Floats:
    """Power in each bin of windowed pieces, shape (…, WINDOW_FRAMES) → (…, BINS). White noise of RMS r
    has r² times half the window's length in each."""
    power: Floats = np.abs(np.fft.rfft(frames * WINDOW)) ** 2
    return power


class LearnedRoom(Settings):
    """A room as it was when nobody spoke: its level in each bin in dB (the power of a windowed piece,
    as ``power_spectrum`` gives it)."""

    rate_hz: int
    levels_db: tuple[float, ...] = Field(min_length=1, max_length=BINS)

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if self.rate_hz != SAMPLE_RATE_HZ or len(self.levels_db) != BINS:
            raise ValueError(
                f"this room was learned at {self.rate_hz} Hz, but the chain runs at {SAMPLE_RATE_HZ} "
                "Hz. Learn it again."
            )
        return self

    @classmethod
    def of_power(cls, power: Floats) -> "LearnedRoom":
        """From a mean power in each bin, shape (BINS,)."""
        levels = power_to_db(power, LEAST_POWER)
        return cls(
            rate_hz=SAMPLE_RATE_HZ, levels_db=tuple(round(float(level), 1) for level in levels)
        )

    @property
    def power(self) -> Floats:
        """Mean power in each bin, shape (BINS,)."""
        power: Floats = db_to_power(np.array(self.levels_db))
        return power


class SuppressorSettings(Settings):
    """Settings of the suppressor."""

    reduction_db: float = number(
        24.0,
        0.0,
        30.0,
        "dB",
        "Max reduction",
        "Maximum noise reduction. With the voice model, pauses may be reduced further.",
        step=1.0,
        reads=(
            (0, "removes nothing"),
            (1, "removes a trace of the room noise"),
            (10, "lowers room noise until a game masks it"),
            (18, "removes nearly all steady noise"),
            (27, "removes as much as possible; the voice may sound hollow"),
        ),
    )
    emphasis_percent: float = number(
        60.0,
        0.0,
        100.0,
        "%",
        "Pause reduction",
        "0 keeps everything that might be voice. 100 makes pauses as clean as possible.",
        step=5.0,
        reads=(
            (0, "leaves some room noise, which masks artifacts"),
            (35, "cleans pauses and keeps soft word endings"),
            (75, "cleans pauses fully; soft word endings may be lost"),
        ),
    )
    follow_s: float = number(
        10.0,
        1.0,
        60.0,
        "s",
        "Adaptation time",
        "Time to adapt to a change in the background noise.",
        taper="log",
        reads=(
            (1, "adapts at once; a long vowel may be taken for noise"),
            (4, "adapts to a fan that speeds up within seconds"),
            (20, "adapts slowly, for steady background noise"),
        ),
    )
    knows_voices_percent: float = number(
        50.0,
        0.0,
        100.0,
        "%",
        "Voice model",
        "How much the voice model decides. 0 uses the noise estimate alone. More also removes keys between words, people and traffic.",
        step=5.0,
        reads=(
            (0, "uses the noise estimate alone"),
            (5, "removes a little of what is not voice"),
            (40, "removes keys between words, and people nearby"),
            (70, "removes most of what is not voice; check soft words"),
        ),
    )
    clatter_db: float = number(
        24.0,
        0.0,
        30.0,
        "dB",
        "Click reduction",
        "Maximum reduction of keyboard and mouse clicks. 0 leaves them unchanged.",
        step=1.0,
        reads=(
            (0, "leaves clicks unchanged"),
            (1, "takes the edge off clicks"),
            (12, "makes clicks much quieter"),
            (22, "removes as much of a click as possible"),
        ),
    )
    room: LearnedRoom | None = Field(None, title="Noise profile")


@kernel
def _push(block: Block, history: Floats, ready: Floats, first: int) -> None:
    """``block`` (frames, channels) goes in where ``ready`` comes out, from column ``first`` of the rings."""
    for i in range(block.shape[0]):
        at = first + i
        for c in range(block.shape[1]):
            history[c, at] = block[i, c]
            block[i, c] = np.float32(ready[c, at])
            ready[c, at] = 0.0


@kernel
def _unroll(history: Floats, end: int, window: Floats, out: Floats) -> None:
    """The window that ends before column ``end`` of the ring, in the order of time. In pieces that begin at their first place: a
    place that is computed might lie before the array for all that the compiler knows, which keeps a loop from vector instructions."""
    length = window.shape[0]
    first = (end - length) % history.shape[1]
    until_end = min(length, history.shape[1] - first)
    for c in range(history.shape[0]):
        older, newer = history[c, first:], history[c]
        later, line = window[until_end:], out[c, until_end:]
        for i in range(until_end):
            out[c, i] = older[i] * window[i]
        for i in range(length - until_end):
            line[i] = newer[i] * later[i]


@kernel
def _overlap(pieces: Floats, first: int, window: Floats, ready: Floats) -> None:
    """Add windowed pieces to what will come out, from column ``first`` of the ring on."""
    length = window.shape[0]
    until_end = min(length, ready.shape[1] - first)
    for c in range(ready.shape[0]):
        sooner, later = ready[c, first:], ready[c]
        rest, line = window[until_end:], pieces[c, until_end:]
        for i in range(until_end):
            sooner[i] += pieces[c, i] * window[i]
        for i in range(length - until_end):
            later[i] += line[i] * rest[i]


@kernel
def _weigh(spectra: np.ndarray, power: Floats, least_power: float) -> bool:
    """Mean power of the channels, per bin; whether it is digital silence."""
    whole = 0.0
    for k in range(power.shape[0]):
        total = 0.0
        for c in range(spectra.shape[0]):
            total += spectra[c, k].real ** 2 + spectra[c, k].imag ** 2
        total /= spectra.shape[0]
        whole += total
        power[k] = max(total, least_power)
    return bool(whole < least_power * power.shape[0])


@kernel
def _scale(spectra: np.ndarray, gains: Floats) -> None:
    for c in range(spectra.shape[0]):
        for k in range(gains.shape[0]):
            spectra[c, k] *= gains[k]


PAST_FRAMES = 2 * WINDOW_FRAMES
"""What is kept of the past: the window, and what a period before it began."""

assert LONGEST_FRAMES <= PAST_FRAMES - WINDOW_FRAMES, "a period ago must still be there"

_VOICED_FROM, _VOICED_TO = voiced_bins(WINDOW_FRAMES)
_COMB_PLACES = places_of_bins(WINDOW_FRAMES)
_STARTS, _SHARE = corners_of_bins(WINDOW_FRAMES)
_SIZES = band_sizes(_STARTS, _SHARE)

AT, HOPS, SOUNDING, TURN, PERIOD, FINE_HOPS, COUNTS = range(7)
"""Places in the counts: column of the rings where the next frame goes, hops since the noise began to be followed,
hops in a row in which something sounded, whose turn it is of the voice model's states, the period of the voice in frames (0: none), and
hops since the lows are looked at more finely."""

(
    LONGEST, IS_LEARNED, LEAST_GAIN, EMPHASIS, KNOWS, LEAST_OF_BOTH, ONLY_HEARS, SPEAKS, SPOKE, TALK, STANDS, VOICE, HEARD,
    VALUES,
) = range(14)  # fmt: skip
"""Places in the values: hops over which the noise is followed, whether it was learned, the least gain, the
emphasis from 0 to 1, the power to which the voice model's gain is taken, the least gain with it, whether no sound is wanted, how
likely it says that somebody speaks: now, a moment ago, and over the last seconds; in what share of the last hops something loud sounded, the
power of the voice, and in how many hops it was heard."""

SPOKE_PER_HOP = 0.93
"""What is left of that from hop to hop: a fifth after 0.1 s."""

TALK_RISES, TALK_FALLS = 1.0 / (2.0 * HOPS_PER_S), 1.0 / (4.0 * HOPS_PER_S)
LEAST_TALK = 0.15
"""In talk with pauses of three seconds the mean stays over twice this; music, in which now and then something passes for a voice,
stays about it."""

TALK_EXPECTED = 4.0 * LEAST_TALK
"""At first, so that the room is taken before the first word as it is between words."""

TALK_ENDS = 1.0 / (0.2 * HOPS_PER_S)
STANDS_PER_HOP = 1.0 / (0.15 * HOPS_PER_S)
STANDS_ALWAYS = 0.9
OVER_ROOM_POWER, UNDER_VOICE_POWER = 10.0, 1.0 / 6.0
"""What sounds so far over the room, and no farther under the voice, without a gap, as strokes of keys do not, and is no word, ends talk
within a second: music."""

VOICE_PER_HOP, LEAST_SPEAKS, LEAST_HEARD = 1.0 / HOPS_PER_S, 0.5, 0.5 * HOPS_PER_S
"""The voice's power is a mean of a second of hops that are likelier voice than not; after half a second of them it is known."""

VOICE_POWER = float(db_to_power(-26.0)) * FULL_POWER * BINS
"""Of a voice that was not heard for so long yet."""

LEAST_SPOKE = 0.1
"""Under it nobody speaks, and no period is sought."""

KNOWS_WHOLLY = 0.5
"""From this power of the voice model on, words are taken for words and noise between harmonics is averaged as far as it can be."""

NEIGHBOURS_IN_WORDS = 10
"""On either side, 500 Hz: a few bins say little of whether they hold a voice. Where it is known that somebody speaks, whole stretches of
the spectrum stand clear of the noise, or do not. Found by trial on four recorded voices (docs/measurements.md)."""

LEAST_LOUD, LOUD = 0.2, 0.6
"""From the first of the voice's power to the second, what repeats is more and more taken for that voice, not for others' behind it."""

WORDLESS_SHARE = 0.1
"""Of the voice model's power, where nobody talks."""

BY_ROOM, IN_ALL = range(2)
"""Rows of what is shown: the mean gain that the room alone gives, and that with what is known of voices."""

_SHOWN_SHARE = 1.0 / 40.0
"""Of each hop in that mean: what is shown is that of a fifth of a second."""

FULL_POWER_OF_GAIN = 1.0
"""To this power the voice model's gain is taken at 100 %."""

MORE_IN_PAUSES = 1.5
"""At 100 % the two together may take so many times as many decibels more than the room alone."""

FINE_LEAST_POWER = LEAST_POWER * MORE_POWER
FINE_COUNT = 40.0
"""The room was learned in short windows: what that says of fine bins counts for a fifth of a second, and is soon mended."""

FINE_ROOM = ROWS + SUB_WINDOWS
"""Of the fine bins' rows the first are as the short window's, then come their minima, and from here on room to work in."""

# What is thinned out after each hop, as it came.
_PLAIN = np.ones(HOP_FRAMES + len(TAPS) - 1)

_OCTAVES_PER_DB = 1.0 / 6.020599913279624


@kernel
def _take_more(
    gains: Floats,
    more_db: Singles,
    knows: float,
    least_gain: float,
    starts: Integers,
    share: Floats,
) -> None:
    """What the voice model says besides, onto the gains; never under the least. It gives nothing back: what a band's mean would
    lack lies between the harmonics too, as noise."""
    for b in range(BANDS - 1):
        first, end = starts[b], starts[b + 1]
        here, shares = gains[first:end], share[first:end]
        from_db, rise_db = more_db[b], more_db[b + 1] - more_db[b]
        for k in range(here.shape[0]):
            db = from_db + shares[k] * rise_db
            here[k] = max(least_gain, here[k] * exp2(_OCTAVES_PER_DB * knows * min(0.0, db)))


@kernel
def _follow_talk(values: Floats, power: float, noise: float) -> float:
    """Whether somebody talks, in these seconds, from 0 to 1, after a hop of such power over such noise."""
    speaks = values[SPEAKS]
    values[SPOKE] = max(speaks, SPOKE_PER_HOP * values[SPOKE])
    if speaks > LEAST_SPEAKS:
        values[VOICE] += VOICE_PER_HOP * (power - values[VOICE])
        values[HEARD] = min(LEAST_HEARD, values[HEARD] + 1.0)
    is_loud = power > UNDER_VOICE_POWER * values[VOICE]
    # Before a voice was heard, what was not learned may be music that passes for the room.
    if values[HEARD] == LEAST_HEARD or values[IS_LEARNED] == 1.0:
        is_loud = is_loud and power > OVER_ROOM_POWER * noise
    values[STANDS] += STANDS_PER_HOP * ((1.0 if is_loud else 0.0) - values[STANDS])
    falls = TALK_ENDS if values[STANDS] > STANDS_ALWAYS else TALK_FALLS
    values[TALK] += (TALK_RISES if speaks > values[TALK] else falls) * (speaks - values[TALK])
    is_talk: float = min(1.0, max(0.0, values[TALK] / LEAST_TALK - 1.0))
    return is_talk


@kernel
def _hop(
    history: Floats,
    ready: Floats,
    windowed: Floats,
    past: Floats,
    power: Floats,
    bins: Floats,
    minima: Floats,
    counts: Integers,
    windows: Floats,
    values: Floats,
    starts: Integers,
    share: Floats,
    bands: Floats,
    model: Singles,
    states: Singles,
    scratch: Singles,
    seen: Singles,
    more_db: Singles,
    taken: Floats,
    comb_places: Floats,
    comb_bands: Floats,
    thinned: Floats,
    recent: Floats,
    lows: Floats,
    fine: Floats,
    fine_rows: Floats,
) -> None:
    """A window is complete: its spectrum, the noise and the gains, and the sound that comes of it."""
    _unroll(history, counts[AT], windows[0], windowed)
    spectra = np.fft.rfft(windowed)
    is_silent = _weigh(spectra, power, LEAST_POWER)
    counts[SOUNDING] = 0 if is_silent else counts[SOUNDING] + 1
    if is_silent or counts[SOUNDING] > HOPS_OF_WINDOW:
        counts[HOPS] += 1
        follow_minima(power, bins, minima, counts[HOPS])
    if counts[SOUNDING] > HOPS_OF_WINDOW:
        # Digital silence, or a window half full of it, is no room.
        follow_noise(power, bins, values[LONGEST], LEAST_POWER, values[IS_LEARNED] == 1.0)
    strength = min(1.0, values[KNOWS] / KNOWS_WHOLLY)
    words = strength * values[SPOKE]
    find_gains(power, bins, values[LEAST_GAIN], values[EMPHASIS], words, NEIGHBOURS_IN_WORDS)
    _follow_gains(bins[GAIN], taken[BY_ROOM])
    if values[KNOWS] > 0.0:
        _mix(history, counts[AT], past)
        see(
            power, bins[NOISE], bins[GAIN], past[WINDOW_FRAMES:], FULL_POWER, starts, share, bands[0],
            bands[1 : 1 + PAST_HOPS], bands[1 + PAST_HOPS :], seen,
        )  # fmt: skip
        counts[TURN] = (counts[TURN] + 1) % TURNS
        values[SPEAKS] = advance(model, seen, states[counts[TURN]], scratch, more_db)
        is_talk = _follow_talk(values, power.sum(), bins[NOISE].sum())
        if values[ONLY_HEARS] == 1.0:
            return
        # In the pauses of somebody who talks it is taken twice: no voice is harmed there. What goes on without a word may be
        # music, and is all but left alone.
        least = WORDLESS_SHARE + (1.0 - WORDLESS_SHARE) * is_talk
        knows = values[KNOWS] * (least + is_talk * (1.0 - values[SPOKE]) ** 4)
        room_gains = bins[SCRATCH]
        for k in range(power.shape[0]):
            room_gains[k] = bins[GAIN, k]
        _take_more(bins[GAIN], more_db, knows, values[LEAST_OF_BOTH], starts, share)
        if values[SPOKE] > LEAST_SPOKE:
            if counts[TURN] == 0:  # a pitch is still nearly the same after a hop
                voice = _voice_of(spectra, bins[GAIN], windows[0])
                counts[PERIOD] = find_period(voice, past, thinned)
            if counts[PERIOD] > 0:
                _unroll(history, counts[AT] - counts[PERIOD], windows[0], windowed)
                average(
                    spectra, np.fft.rfft(windowed), bins[GAIN], strength, comb_places, comb_bands
                )
                is_loud = (power.sum() / values[VOICE] - LEAST_LOUD) / (LOUD - LEAST_LOUD)
                is_loud = strength * min(1.0, max(0.0, is_loud))
                keep_what_repeats(bins[GAIN], room_gains, is_loud, comb_places, comb_bands)
    _scale(spectra, bins[GAIN])
    _unroll(history, counts[AT], _PLAIN, recent)
    for c in range(recent.shape[0]):
        thin_out(recent[c], lows[c])
    # Of a room that was not learned too little is known in fine bins: noise would be given back.
    if values[KNOWS] == 0.0 or values[IS_LEARNED] == 0.0:
        counts[FINE_HOPS] = 0
    else:
        room = fine_rows[FINE_ROOM:]
        look_finely(lows, fine, room[0], FINE_LEAST_POWER)
        _follow_lows(room[0], bins, fine_rows, counts, values, strength)
        add_finer(
            spectra, fine, fine_rows[GAIN], bins[SCRATCH], bins[GAIN], strength, values[SPOKE] > LEAST_SPOKE,
            values[LEAST_OF_BOTH], room,
        )  # fmt: skip
    _follow_gains(bins[GAIN], taken[IN_ALL])
    _overlap(np.fft.irfft(spectra, WINDOW_FRAMES), counts[AT], windows[1], ready)


@kernel
def _follow_lows(
    power: Floats,
    bins: Floats,
    fine_rows: Floats,
    counts: Integers,
    values: Floats,
    strength: float,
) -> None:
    """The noise and the gains in the fine bins, of their ``power``; at first the noise is what the short windows say."""
    fine_bins, fine_minima = fine_rows[:ROWS], fine_rows[ROWS:FINE_ROOM]
    if counts[FINE_HOPS] == 0:
        fine_bins[:] = 0.0
        fine_minima[:] = np.inf
        between_bins(bins[NOISE], fine_bins[NOISE])
        for k in range(power.shape[0]):
            fine_bins[NOISE, k] *= MORE_POWER
            fine_bins[COUNT, k] = FINE_COUNT
            fine_bins[RECENT, k] = np.inf
    if counts[SOUNDING] == 0 or counts[SOUNDING] > HOPS_OF_FINE_WINDOW or counts[FINE_HOPS] == 0:
        counts[FINE_HOPS] += 1
        follow_minima(power, fine_bins, fine_minima, counts[FINE_HOPS])
    if counts[SOUNDING] > HOPS_OF_FINE_WINDOW:
        follow_noise(power, fine_bins, values[LONGEST], FINE_LEAST_POWER, True)
    words = strength * values[SPOKE]
    find_gains(power, fine_bins, values[LEAST_GAIN], values[EMPHASIS], words, NEIGHBOURS)


@kernel
def _follow_gains(gains: Floats, mean: Floats) -> None:
    for k in range(gains.shape[0]):
        mean[k] += _SHOWN_SHARE * (gains[k] - mean[k])


@kernel
def _mix(history: Floats, first: int, out: Floats) -> None:
    """The mean of the channels, in the order of time from column ``first`` of the ring on."""
    channels = history.shape[0]
    until_end = out.shape[0] - first
    for c in range(channels):
        _add(history[c, first:], out[:until_end], c == 0)
        _add(history[c, :first], out[until_end:], c == 0)
    if channels > 1:
        for i in range(out.shape[0]):
            out[i] /= channels


@kernel
def _add(sound: Floats, out: Floats, is_first: bool) -> None:
    """Onto what is there, or in its place."""
    for i in range(out.shape[0]):
        out[i] = sound[i] if is_first else out[i] + sound[i]


@kernel
def _voice_of(spectra: np.ndarray, gains: Floats, window: Floats) -> Floats:
    """What the gains leave of the window where periods are sought, the channels together."""
    voice = np.zeros(gains.shape[0], np.complex128)
    for k in range(_VOICED_FROM, _VOICED_TO):
        for c in range(spectra.shape[0]):
            voice[k] += gains[k] * spectra[c, k]
    sound: Floats = np.fft.irfft(voice, window.shape[0])
    for i in range(window.shape[0]):
        sound[i] *= window[i]
    return sound


@kernel
def _suppress(
    block: Block,
    history: Floats,
    ready: Floats,
    windowed: Floats,
    past: Floats,
    power: Floats,
    bins: Floats,
    minima: Floats,
    counts: Integers,
    windows: Floats,
    values: Floats,
    starts: Integers,
    share: Floats,
    bands: Floats,
    model: Singles,
    states: Singles,
    scratch: Singles,
    seen: Singles,
    more_db: Singles,
    taken: Floats,
    comb_places: Floats,
    comb_bands: Floats,
    thinned: Floats,
    recent: Floats,
    lows: Floats,
    fine: Floats,
    fine_rows: Floats,
    speaks: Floats,
) -> None:
    """A block in, and what has been made of earlier ones out, in place."""
    start = 0
    while start < block.shape[0]:
        # A whole number of hops makes a window, so that no piece crosses the rings' ends.
        length = min(block.shape[0] - start, HOP_FRAMES - counts[AT] % HOP_FRAMES)
        _push(block[start : start + length], history, ready, counts[AT])
        speaks[start : start + length] = values[SPEAKS] if values[KNOWS] > 0.0 else 1.0
        counts[AT] = (counts[AT] + length) % PAST_FRAMES
        if counts[AT] % HOP_FRAMES == 0:
            _hop(
                history, ready, windowed, past, power, bins, minima, counts, windows, values, starts, share, bands, model,
                states, scratch, seen, more_db, taken, comb_places, comb_bands, thinned, recent, lows, fine, fine_rows,
            )  # fmt: skip
        start += length


class Suppressor(Stage[SuppressorSettings]):
    """Takes steady noise and clatter away. Latency: one window of 20 ms."""

    latency_frames = WINDOW_FRAMES
    has_latency = True

    def __init__(self, settings: SuppressorSettings, channels: int, max_frames: int) -> None:
        self._history = np.zeros((channels, PAST_FRAMES))
        self._ready = np.zeros((channels, PAST_FRAMES))
        self._windowed = np.zeros((channels, WINDOW_FRAMES))
        self._power = np.zeros(BINS)
        self._bins = np.zeros((ROWS, BINS))
        self._minima = np.zeros((SUB_WINDOWS, BINS))
        self._clatter = ClatterSoftener(channels, max_frames)
        self._counts = np.zeros(COUNTS, np.int64)
        self._values = np.zeros(VALUES)
        self._lets_clicks_pass = self._only_hears = False
        self._past = np.zeros(PAST_FRAMES)
        self._bands = np.zeros((3 + PAST_HOPS, BANDS))
        """The voice model's bands: their sizes, their levels in the hops before, and room for two rows."""
        self._bands[0] = _SIZES
        self._states = np.zeros((TURNS, 2, UNITS), np.float32)
        self._seen = np.zeros(FEATURES, np.float32)
        self._more_db = np.zeros(BANDS + 1, np.float32)
        self._taken = np.ones((2, BINS))
        self._lows = np.zeros((channels, PIECES))
        self.speaks = np.ones(max_frames)
        """How likely somebody speaks, in each frame of the last block that came out; 1 where it knows nothing of voices."""
        self.steps = (
            self._clatter.listening,
            Step(
                _suppress, self._history, self._ready, self._windowed, self._past, self._power, self._bins, self._minima,
                self._counts, _WINDOWS, self._values, _STARTS, _SHARE, self._bands, weights(), self._states,
                np.zeros((2, 3 * UNITS), np.float32), self._seen, self._more_db, self._taken, _COMB_PLACES,
                np.zeros((4, COMB_BANDS)), np.zeros((3, PAST_FRAMES // THINNED)), np.zeros((channels, len(_PLAIN))), self._lows,
                np.zeros((channels, 2, FINE_BINS)), np.zeros((FINE_ROOM + 2, FINE_BINS)), self.speaks,
            ),
            self._clatter.softening,
        )  # fmt: skip
        super().__init__(settings, channels, max_frames)
        self.reset()

    def apply(self, settings: SuppressorSettings) -> None:
        before = getattr(self, "settings", None)
        self.settings = settings
        self._values[:SPEAKS] = (
            settings.follow_s * HOPS_PER_S,
            settings.room is not None,
            db_to_linear(-settings.reduction_db),
            settings.emphasis_percent / 100.0,
            0.0
            if self._lets_clicks_pass
            else FULL_POWER_OF_GAIN * settings.knows_voices_percent / 100.0,
            db_to_linear(
                -settings.reduction_db
                * (1.0 + MORE_IN_PAUSES * settings.knows_voices_percent / 100.0)
            ),
            self._only_hears,
        )
        self._clatter.set_least_gain(db_to_linear(-settings.clatter_db))
        if before and settings.room is not before.room and settings.room != before.room:
            self._begin()

    def let_clicks_pass(self, lets: bool) -> None:
        """While a delay is measured: a click is no voice, and would be taken out."""
        self._lets_clicks_pass = lets
        self.apply(self.settings)

    def only_hear(self) -> Step:
        """The step of who wants to know how likely somebody speaks (``speaks``), and nothing else: silence is what comes out."""
        self._only_hears = True
        self.apply(self.settings)
        return self.steps[1]

    def _begin(self) -> None:
        """Take the learned room for the noise, or begin to learn by following."""
        self._bins.fill(0.0)
        self._bins[RECENT] = np.inf
        self._minima.fill(np.inf)
        self._bins[LEAST] = 0.0
        self._bins[NOISE] = LEAST_POWER
        room = self.settings.room
        if room:
            self._bins[NOISE] = np.maximum(room.power, LEAST_POWER)
            self._bins[COUNT] = self.settings.follow_s * HOPS_PER_S
        self._counts[[HOPS, SOUNDING, PERIOD, FINE_HOPS]] = 0
        self._states.fill(0.0)
        self._more_db.fill(0.0)
        self._taken.fill(1.0)
        self._bands[1 : 1 + PAST_HOPS] = LEAST_DB
        self._values[SPEAKS:VALUES] = 0.0
        self._values[TALK], self._values[VOICE] = TALK_EXPECTED, VOICE_POWER

    def reset(self) -> None:
        self._history.fill(0.0)
        self._ready.fill(0.0)
        self._lows.fill(0.0)
        self._clatter.reset()
        self._counts[AT] = 0
        self._begin()

    def take_reading(self) -> StageReading:
        # Parseval, for one half of the spectrum and a window of mean power 1/2.
        noise = self._bins[NOISE] * (4.0 / WINDOW_FRAMES**2)
        return {
            "strokes": self._clatter.take_strokes(),
            "noise_dbfs": round(linear_to_db(math.sqrt(float(noise.sum()))), 1),
            "noise_db": in_db(_BAND_WEIGHTS @ noise),
            "room_takes_db": self._shown(BY_ROOM),
            "takes_db": self._shown(IN_ALL),
            "speaks_share": round(float(self._values[SPEAKS]), 2),
        }

    def _shown(self, row: int) -> list[float]:
        """A row of the mean gains, in the bands of a screen."""
        return in_db((_BAND_WEIGHTS @ self._taken[row] / _BAND_WIDTHS) ** 2)
