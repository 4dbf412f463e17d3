"""The peaks of a recording, by which its waveforms are drawn: the highest of every 10 ms of each track, kept in a file of
16-bit numbers, so that an evening is drawn without opening its tracks."""

import numpy as np
from numpy.typing import NDArray

from goshawk.core.measure.levels import HOP_FRAMES
from goshawk.core.stage import Block

Peaks = NDArray[np.uint16]
"""Of shape (hops, tracks)."""

FULL_SCALE = 16384
"""What stands for 0 dBFS: sound above it is seen as such."""
PEAKS_NAME = "peaks.u16"


def peaks_of(sound: Block) -> Peaks:
    """The peak of each hop of a sound, shape (frames, channels), of whole hops."""
    hops = np.abs(sound).reshape(-1, HOP_FRAMES * sound.shape[1]).max(axis=1)
    rows: Peaks = np.minimum(np.rint(hops * np.float32(FULL_SCALE)), 65535.0).astype(np.uint16)
    return rows


def reduced(peaks: Peaks, points: int) -> NDArray[np.float32]:
    """The highest of so many stretches of equal length, linear, shape (points or fewer, tracks)."""
    count = min(points, len(peaks))
    if count == 0:
        return np.zeros((0, peaks.shape[1]), np.float32)
    starts = np.arange(count) * len(peaks) // count
    highest = np.maximum.reduceat(peaks, starts, axis=0)
    return highest.astype(np.float32) / np.float32(FULL_SCALE)
