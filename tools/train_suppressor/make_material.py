"""Mixes voices and noises and has the suppressor look at them: python -m tools.train_suppressor.make_material [HOURS]

Writes to build/train/material/, per hundred clips, one array (clips, steps, columns) of float16: what the model sees (FEATURES), then per
band the speech as it was, the speech and the noise behind the classical gain (each a level in dB over 10), then whether somebody
speaks. Steps are 10 ms. Seeded: the same clips every time.
"""

import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.random import Generator

from goshawk.core.compiled import kernel
from goshawk.core.dsp.fast_math import power_db
from goshawk.core.dsp.spectral_gain import (
    COUNT,
    GAIN,
    NEIGHBOURS,
    NOISE,
    RECENT,
    ROWS,
    SUB_WINDOWS,
    find_gains,
    follow_minima,
    follow_noise,
)
from goshawk.core.dsp.suppressor import (
    BINS,
    FULL_POWER,
    HOP_FRAMES,
    HOPS_OF_WINDOW,
    HOPS_PER_S,
    LEAST_POWER,
    WINDOW,
    WINDOW_FRAMES,
    power_spectrum,
)
from goshawk.core.dsp.voice_features import (
    BANDS,
    FEATURES,
    PAST_HOPS,
    band_sizes,
    corners_of_bins,
    in_bands,
    see,
)
from goshawk.units import SAMPLE_RATE_HZ as RATE_HZ
from goshawk.units import db_to_linear
from tools.train_suppressor import noises
from tools.train_suppressor.shapes import Mono, to_rms
from tools.train_suppressor.talkers import Talkers, laughed, sung

WHERE = Path("build/train/material")
CLIP_S = 10.0
LEAD_S = 1.2
"""The room alone, of which a second is learned."""

CLIPS_PER_FILE = 100
COLUMNS = FEATURES + 3 * BANDS + 1
SPOKEN_DB = -45.0
"""Somebody speaks where the speech is no further than this under its loudest."""

_STARTS, _SHARE = corners_of_bins(WINDOW_FRAMES)
_SIZES = band_sizes(_STARTS, _SHARE)


@kernel
def look(noisy, speech, window, bins, minima, numbers, starts, share, sizes, out):  # type: ignore[no-untyped-def]
    """The suppressor's way through a clip; see ``_hop`` in core/dsp/suppressor.py. Every second hop is put down."""
    longest, is_learned, least_gain, emphasis, full, least_power, offset = numbers
    frames = window.shape[0]
    power, part, levels = (
        np.zeros(share.shape[0]),
        np.zeros(share.shape[0]),
        np.zeros(sizes.shape[0]),
    )
    past, scratch = np.full((PAST_HOPS, sizes.shape[0]), -120.0), np.zeros((2, sizes.shape[0]))
    features = np.zeros(FEATURES, np.float32)
    hops = (noisy.shape[0] - frames) // HOP_FRAMES + 1
    for hop in range(hops):
        heard = noisy[hop * HOP_FRAMES : hop * HOP_FRAMES + frames]
        clean = speech[hop * HOP_FRAMES : hop * HOP_FRAMES + frames]
        spectrum, own = np.fft.rfft(heard * window), np.fft.rfft(clean * window)
        for k in range(power.shape[0]):
            power[k] = max(spectrum[k].real ** 2 + spectrum[k].imag ** 2, least_power)
        follow_minima(power, bins, minima, hop + 1)
        if hop > HOPS_OF_WINDOW:
            follow_noise(power, bins, longest, least_power, is_learned == 1.0)
        find_gains(power, bins, least_gain, emphasis, 0.0, NEIGHBOURS)
        see(
            power,
            bins[NOISE],
            bins[GAIN],
            heard,
            full,
            starts,
            share,
            sizes,
            past,
            scratch,
            features,
        )
        if (hop + int(offset)) % 2:
            continue
        row = out[hop // 2]
        for n in range(FEATURES):
            row[n] = features[n]
        for k in range(power.shape[0]):
            power[k] = own[k].real ** 2 + own[k].imag ** 2
            part[k] = power[k] * bins[GAIN, k] ** 2
        in_bands(power, starts, share, sizes, levels)
        for b in range(BANDS):
            row[FEATURES + b] = 0.1 * power_db(levels[b] / full + 1e-14)
        in_bands(part, starts, share, sizes, levels)
        for b in range(BANDS):
            row[FEATURES + BANDS + b] = 0.1 * power_db(levels[b] / full + 1e-14)
        for k in range(power.shape[0]):
            left = spectrum[k] - own[k]
            part[k] = (left.real**2 + left.imag**2) * bins[GAIN, k] ** 2
        in_bands(part, starts, share, sizes, levels)
        for b in range(BANDS):
            row[FEATURES + 2 * BANDS + b] = 0.1 * power_db(levels[b] / full + 1e-14)


@dataclass(frozen=True)
class Mixture:
    """How often something comes and goes over the room, and how far its level lies under the speech's, in dB (of events: their
    highest peak)."""

    events: tuple[noises.Maker, ...] = noises.EVENTS
    has_events: float = 0.4
    events_under_db: tuple[float, float] = (-16.0, 22.0)
    has_babble: float = 0.18
    babble_under_db: tuple[float, float] = (0.0, 28.0)
    has_others: float = 0.2
    others_under_db: tuple[float, float] = (-4.0, 28.0)
    sings_or_laughs: float = 0.0

    def voiced(self, sound: Mono, chance: Generator) -> Mono:
        """The speech, now and then sung or laughed."""
        if not self.sings_or_laughs or chance.random() > self.sings_or_laughs:
            return sound
        return (sung if chance.random() < 0.5 else laughed)(sound, chance)


OF_ALL = Mixture()
BUSY = Mixture(
    events=(noises.keys, noises.keys, noises.mouse),
    has_events=0.5,
    events_under_db=(-25.0, 8.0),
    has_babble=0.25,
    babble_under_db=(0.0, 18.0),
    has_others=0.2,
    others_under_db=(0.0, 20.0),
    sings_or_laughs=0.15,
)
"""What the judges found too little of among the first: strokes as loud as words, others who speak nearly as loud, and voices that sing
and laugh."""

OF_ALL_FILES = 72
"""So many files are of all; what is made beyond is busy."""


def mixed(talkers: Talkers, mixture: Mixture, chance: Generator) -> tuple[Mono, Mono, Mono]:
    """A clip with its lead: what the microphone hears, the speech in it, and the room of the lead alone."""
    lead = int(LEAD_S * RATE_HZ)
    frames = lead + int(CLIP_S * RATE_HZ)
    speech = np.zeros(frames, np.float32)
    if chance.random() < 0.93:
        speech[lead:] = mixture.voiced(talkers.some(frames - lead, chance), chance)
    bed = to_rms(chance.choice(np.array(noises.BEDS))(frames, chance))
    if chance.random() < 0.3:
        bed = bed + chance.uniform(0.2, 1.0) * to_rms(
            chance.choice(np.array(noises.BEDS))(frames, chance)
        )
    noise = to_rms(bed) * db_to_linear(-chance.uniform(-6.0, 45.0))
    others = np.zeros(frames, np.float32)
    kind = chance.random()
    if kind < mixture.has_events:
        one = chance.choice(np.array(mixture.events))(frames - lead, chance)
        others[lead:] = (
            one
            / max(1e-9, np.abs(one).max())
            * db_to_linear(-chance.uniform(*mixture.events_under_db))
        )
    elif (kind := kind - mixture.has_events) < mixture.has_babble:
        others[lead:] = to_rms(talkers.babble(frames - lead, chance)) * db_to_linear(
            -chance.uniform(*mixture.babble_under_db)
        )
    elif kind - mixture.has_babble < mixture.has_others:
        one = chance.choice(np.array(noises.OTHERS))(frames - lead, chance)
        others[lead:] = to_rms(one) * db_to_linear(-chance.uniform(*mixture.others_under_db))
    level = db_to_linear(-chance.uniform(14.0, 46.0))
    return (
        (level * (speech + noise + others)).astype(np.float32),
        (level * speech).astype(np.float32),
        (level * noise[:lead]).astype(np.float32),
    )


def looked_at(noisy: Mono, speech: Mono, bed: Mono, chance: Generator) -> np.ndarray:
    """A clip as the model is trained on it, shape (steps, COLUMNS)."""
    lead = int(LEAD_S * RATE_HZ)
    bins, minima = np.zeros((ROWS, BINS)), np.full((SUB_WINDOWS, BINS), np.inf)
    bins[RECENT], bins[NOISE] = np.inf, LEAST_POWER
    is_learned = chance.random() < 0.65
    follow_s = float(np.exp(chance.uniform(np.log(3), np.log(30))))
    if is_learned:
        pieces = np.lib.stride_tricks.sliding_window_view(bed[:RATE_HZ], WINDOW_FRAMES)[
            ::HOP_FRAMES
        ]
        bins[NOISE] = np.maximum(power_spectrum(pieces).mean(axis=0), LEAST_POWER)
        bins[COUNT] = follow_s * HOPS_PER_S
    steps = int(CLIP_S * HOPS_PER_S / 2)
    hops = (len(noisy) - WINDOW_FRAMES) // HOP_FRAMES + 1
    out = np.zeros((hops // 2 + 2, COLUMNS), np.float32)
    is_usual = chance.random() < 0.6
    reduction_db = 24.0 if is_usual else chance.uniform(10.0, 36.0)
    emphasis = 0.6 if is_usual else chance.uniform(0.0, 1.0)
    numbers = (
        follow_s * HOPS_PER_S, float(is_learned), db_to_linear(-reduction_db), emphasis, FULL_POWER, LEAST_POWER,
        float(chance.integers(0, 2)),
    )  # fmt: skip
    look(
        noisy.astype(np.float64),
        speech.astype(np.float64),
        WINDOW,
        bins,
        minima,
        numbers,
        _STARTS,
        _SHARE,
        _SIZES,
        out,
    )
    first = lead // (2 * HOP_FRAMES)
    kept = out[first : first + steps]
    spoken_db = 10 * np.log10((10 ** kept[:, FEATURES : FEATURES + BANDS]).sum(axis=1) + 1e-13)
    kept[:, -1] = (spoken_db > spoken_db.max() + SPOKEN_DB) & (spoken_db > -85.0)
    return kept


_talkers: list[Talkers] = []


def write(number: int) -> int:
    """A file of clips."""
    if not _talkers:
        _talkers.append(Talkers())
    file = WHERE / f"{number:04}.npy"
    if not file.exists():
        clips, mixture = [], OF_ALL if number < OF_ALL_FILES else BUSY
        for n in range(CLIPS_PER_FILE):
            chance = np.random.default_rng((number, n))
            clips.append(looked_at(*mixed(_talkers[0], mixture, chance), chance).astype(np.float16))
        np.save(file, np.stack(clips))
    return number


def main() -> None:
    hours = float(sys.argv[1]) if len(sys.argv) > 1 else 20.0
    WHERE.mkdir(parents=True, exist_ok=True)
    Talkers()
    count = round(hours * 3600 / CLIP_S / CLIPS_PER_FILE)
    with ProcessPoolExecutor(2) as pool:
        for number in pool.map(write, range(count)):
            print(f"{number + 1} of {count}", flush=True)


if __name__ == "__main__":
    main()
