"""Peaks between the samples, found by interpolating with a polyphase filter.

Two interpolators are kept: the one that ITU-R BS.1770-5 Annex 2 publishes, for meters, and a finer
one for the limiter, which has to find what any later converter or meter may find.
"""

import numpy as np
from numpy.typing import NDArray

from goshawk.core.compiled import kernel
from goshawk.core.stage import Block, greatest

Phases = NDArray[np.float32]
"""Shape (phases, taps): row p interpolates the point p/phases of the way between two samples."""

_ANNEX_2_HALF = (
    (0.0017089843750, 0.0109863281250, -0.0196533203125, 0.0332031250000, -0.0594482421875,
     0.1373291015625, 0.9721679687500, -0.1022949218750, 0.0476074218750, -0.0266113281250,
     0.0148925781250, -0.0083007812500),
    (-0.0291748046875, 0.0292968750000, -0.0517578125000, 0.0891113281250, -0.1665039062500,
     0.4650878906250, 0.7797851562500, -0.2003173828125, 0.1015625000000, -0.0582275390625,
     0.0330810546875, -0.0189208984375),
)  # fmt: skip
"""Phases 0 and 1 as published; phases 2 and 3 are 1 and 0 reversed."""

BS1770_PHASES: Phases = np.array(
    [_ANNEX_2_HALF[0], _ANNEX_2_HALF[1], _ANNEX_2_HALF[1][::-1], _ANNEX_2_HALF[0][::-1]],
    np.float32,
)
"""ITU-R BS.1770-5 Annex 2: four-times oversampling at 48 kHz with 12 taps a phase."""


def windowed_sinc_phases(phases: int, taps: int, kaiser_beta: float) -> Phases:
    """Fractional-delay interpolators: a Kaiser-windowed sinc (J. O. Smith, *Digital Audio
    Resampling Home Page*), each phase scaled to unity gain at DC."""
    offsets = np.arange(taps) - (taps // 2 - 1)
    rows = []
    for phase in range(phases):
        x = offsets - phase / phases
        inside = np.clip(1.0 - (x / (taps / 2)) ** 2, 0.0, 1.0)
        row = np.sinc(x) * np.i0(kaiser_beta * np.sqrt(inside)) / np.i0(kaiser_beta)
        rows.append(row / row.sum())
    return np.ascontiguousarray(np.array(rows, np.float32)[:, ::-1])


def _centred(phases: Phases, taps: int) -> Phases:
    """The same interpolators in the middle of longer rows."""
    missing = taps - phases.shape[1]
    return np.pad(phases, ((0, 0), (missing // 2, missing - missing // 2)))


def lowpass_phases(phases: int, half_taps: int, kaiser_beta: float) -> Phases:
    """The interpolators of a meter whose low-pass passes what is under some 20 kHz and falls slowly beyond: a
    Kaiser-windowed sinc of ``2 half_taps`` samples, unity at DC (A. V. Oppenheim, R. W. Schafer, *Discrete-Time Signal
    Processing*, 3rd ed., 7.5). The point on the sample itself is left out."""
    n = np.arange(-half_taps * phases, half_taps * phases + 1)
    h = np.sinc(n / phases) * np.kaiser(len(n), kaiser_beta)
    h *= phases / h.sum()
    rows = [h[phase::phases] for phase in range(1, phases)]
    return np.ascontiguousarray(np.array(rows, np.float32))


LIMITER_TAPS = 40
LIMITER_PHASES: Phases = np.ascontiguousarray(
    np.concatenate(
        [
            windowed_sinc_phases(8, LIMITER_TAPS, 4.0),
            *(
                _centred(phases, LIMITER_TAPS)
                for phases in (
                    BS1770_PHASES,
                    lowpass_phases(8, 10, 5.0),
                    lowpass_phases(8, 10, 3.5),
                )
            ),
        ]
    )
)
"""Eight-fold with a response that stays flat to 22 kHz, the standard's own interpolator, and two of the kind that other
meters use, which fall from 20 kHz on: near half the rate they all read differently, by a few tenths of a dB in noise,
and the ceiling has to hold for each."""


def spans_of(phases: Phases) -> NDArray[np.int64]:
    """Of each row, its first tap that is not zero and the one after its last, shape (phases, 2)."""
    return np.array([[row[0], row[-1] + 1] for row in map(np.flatnonzero, phases)], np.int64)


SEGMENT_FRAMES = 32


def gains_of(phases: Phases) -> NDArray[np.float64]:
    """No value that a row interpolates is above the greatest sample near it times this, shape (phases,): the sum of its
    magnitudes, and a little more, so that rounding hides no peak."""
    gains: NDArray[np.float64] = np.abs(phases).sum(axis=1).astype(np.float64) * 1.000001
    return gains


@kernel
def carry(block: Block, history: Phases) -> None:
    """What ``between_samples`` keeps of a block for the next one."""
    frames, kept = block.shape[0], history.shape[1]
    for c in range(block.shape[1]):
        moved = max(0, kept - frames)
        for i in range(moved):
            history[c, i] = history[c, i + frames]
        for i in range(moved, kept):
            history[c, i] = block[frames - kept + i, c]


@kernel
def between_samples(
    block: Block,
    history: Phases,
    line: NDArray[np.float32],
    total: NDArray[np.float32],
    phases: Phases,
    spans: NDArray[np.int64],
    gains: NDArray[np.float64],
    peaks: NDArray[np.float32],
    ignored: float,
) -> None:
    """Greatest absolute interpolated value of each frame over all channels, into ``peaks``.

    ``history`` of shape (channels, taps - 1) carries the last samples from block to block. Frame n
    of ``peaks`` speaks of the moment ``taps // 2`` frames before frame n of the block. ``line`` and
    ``total`` are scratch of at least taps - 1 + frames and SEGMENT_FRAMES places; ``spans`` (see ``spans_of``) tells
    the taps that count, ``gains`` (see ``gains_of``) how far a row can reach. What cannot come above ``ignored`` is not
    worked on, and peaks may be left at zero there: most of speech.
    """
    frames, channels = block.shape
    count, taps = phases.shape
    carried = taps - 1
    peaks[:frames] = 0.0
    for c in range(channels):
        line[:carried] = history[c]
        for n in range(frames):
            line[carried + n] = block[n, c]
        is_loud = greatest(line[: carried + frames]) * gains.max() > ignored
        for start in range(0, frames if is_loud else 0, SEGMENT_FRAMES):
            length = min(SEGMENT_FRAMES, frames - start)
            most = greatest(line[start : start + carried + length])
            for p in range(count):
                if most * gains[p] <= ignored:
                    continue
                total[:length] = 0.0
                # Tap t meets the sample t frames ago; a segment and four taps at a time, so that this runs
                # in vector instructions while each frame's sum keeps its order.
                t, last = spans[p, 0], spans[p, 1]
                while t < last:
                    first = carried - t + start
                    then = line[first : first + length]
                    if t + 4 > last:
                        h = phases[p, t]
                        for n in range(length):
                            total[n] += h * then[n]
                        t += 1
                        continue
                    h, h1, h2, h3 = (
                        phases[p, t],
                        phases[p, t + 1],
                        phases[p, t + 2],
                        phases[p, t + 3],
                    )
                    then1 = line[first - 1 : first - 1 + length]
                    then2 = line[first - 2 : first - 2 + length]
                    then3 = line[first - 3 : first - 3 + length]
                    for n in range(length):
                        more = h * then[n] + h1 * then1[n] + h2 * then2[n] + h3 * then3[n]
                        total[n] += more
                    t += 4
                for n in range(length):
                    peaks[start + n] = max(peaks[start + n], abs(total[n]))
        history[c] = line[frames : frames + carried]
