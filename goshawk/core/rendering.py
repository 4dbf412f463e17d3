"""Sound rendered through a chain offline, and pieces of raw voice that play over and over."""

from collections.abc import Sequence

import numpy as np

from goshawk.core.chain_slots import Chain
from goshawk.core.graph.chain import RunningChain
from goshawk.core.graph.comparison import Heard
from goshawk.core.measure.loudness import loudness_lufs
from goshawk.core.stage import Block
from goshawk.units import SAMPLE_RATE_HZ, ms_to_frames

SHORTEST_LOOP_S = 1.0
LONGEST_LOOP_S = 60.0
SEAM_MS = 10.0
MEASURED_S = 10.0
"""Of a long loop, so much of its beginning is enough to match loudness."""

MOST_GAIN_DB = 40.0
RENDER_FRAMES = 4096


def render(sound: Block, chain: Chain, block_frames: int = RENDER_FRAMES) -> tuple[Block, int]:
    """``sound``, shape (frames, channels), through a fresh chain, and the chain's latency in frames. The
    output is as long as the input and begins late by the latency."""
    voice = RunningChain(chain, sound.shape[1], block_frames)
    out = sound.copy()
    for start in range(0, len(out), block_frames):
        voice.process(out[start : start + block_frames])
    return out, voice.latency_frames


def render_aligned(
    sound: Block, chains: Sequence[tuple[int, Chain]], block_frames: int = RENDER_FRAMES
) -> Block:
    """``sound``, shape (frames, channels), through a chain whose settings change: each of ``chains`` holds from its frame of
    the sound on, the first from 0. The latency (of the first) is taken out; the length stays."""
    voice = RunningChain(chains[0][1], sound.shape[1], block_frames)
    late = voice.latency_frames
    out = np.concatenate([sound, np.zeros((late, sound.shape[1]), np.float32)])
    ends = [*(frame for frame, _ in chains[1:]), len(out)]
    for (first, chain), end in zip(chains, ends, strict=True):
        voice.apply(chain)
        for start in range(first, min(end, len(out)), block_frames):
            voice.process(out[start : min(start + block_frames, end)])
    return out[late:]


def chain_latency_frames(chain: Chain) -> int:
    """How late a chain's output is."""
    return RunningChain(chain, 1, 1).latency_frames


def seamless(sound: Block) -> Block:
    """A piece that can be played over and over without a click: its end is blended into its beginning."""
    seam = min(ms_to_frames(SEAM_MS), len(sound) // 4)
    weight = np.linspace(0.0, 1.0, seam, endpoint=False, dtype=np.float32)[:, None]
    out = np.ascontiguousarray(sound[: len(sound) - seam], np.float32)
    out[:seam] = weight * sound[:seam] + (1.0 - weight) * sound[len(sound) - seam :]
    return out


def equal_loudness_gains_db(voice: Block, chain: Chain, other: Chain | None) -> dict[Heard, float]:
    """The gains at which the raw voice and the other chain are as loud as the chain, ``voice`` of shape
    (frames, channels). Nothing is made louder or quieter by more than MOST_GAIN_DB; silence is left alone."""
    voice = voice[: round(MEASURED_S * SAMPLE_RATE_HZ)]
    goal = loudness_lufs(render(voice, chain)[0])

    def towards_goal(sound: Block | None) -> float:
        found = None if sound is None else loudness_lufs(sound)
        if goal is None or found is None:
            return 0.0
        return max(-MOST_GAIN_DB, min(MOST_GAIN_DB, goal - found))

    return {
        "chain": 0.0,
        "raw": towards_goal(voice),
        "other": towards_goal(render(voice, other)[0] if other is not None else None),
    }
