"""A mix made again from recorded inputs, as fast as it can: what the Viewers feed becomes with another balance.

``heard_inputs`` runs the whole graph once. What follows it (strips, gains, ceiling) is cheap, so that many balances
can be tried on the same seconds; the tests hold both ways equal."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from goshawk.core.dsp.limiter import Limiter, LimiterSettings
from goshawk.core.graph.mixer import Mixer
from goshawk.core.graph.pick import picked
from goshawk.core.graph.playback import Replayed
from goshawk.core.graph.strip import through_chain
from goshawk.core.measure.clearance import background_peaks_dbfs, clearance_db, voice_peaks_dbfs
from goshawk.core.measure.intelligibility import Hearing, band_powers, hearing, speech_pieces
from goshawk.core.measure.levels import HOP_FRAMES
from goshawk.core.measure.loudness import loudness_lufs
from goshawk.core.measure.take import activity_of, hops_of
from goshawk.core.measure.true_peak import TruePeakMeter
from goshawk.core.rig import Rig, changed_together
from goshawk.core.routing import InputSettings
from goshawk.core.rules.balance import Move, PeaksHeard, moves
from goshawk.core.stage import Block, Floats
from goshawk.core.who_hears import send_gain

BLOCK_FRAMES = 1024
LEAST_PIECES = 12
"""Half a second of speech, in pieces of 40 ms: no index from less."""


@dataclass(frozen=True)
class HeardInputs:
    """Some seconds of every input as mixes are made anew from it: the main voice as it leaves its chain, the others as
    they came; by the input's id, each of shape (frames, 2). ``key`` is what the duckers hear, of shape (frames, 1), in
    time with the rest; ``activity`` that of each hop."""

    rows: Replayed
    key: Block
    activity: NDArray[np.int8]
    first_hop: int = 0
    """The number of the first hop."""

    @property
    def seconds(self) -> float:
        return len(self.activity) / 100

    @property
    def end_hop(self) -> int:
        """The number of the hop behind the last."""
        return self.first_hop + len(self.activity)

    def last(self, seconds: float) -> "HeardInputs":
        """The newest part, in whole hops."""
        return self.from_hop(max(self.first_hop, self.end_hop - round(seconds * 100)))

    def from_hop(self, number: int) -> "HeardInputs":
        """The part from a hop on that lies within it."""
        hops = number - self.first_hop
        frames = hops * HOP_FRAMES
        return HeardInputs(
            {name: row[frames:] for name, row in self.rows.items()},
            self.key[frames:],
            self.activity[hops:],
            number,
        )


def heard_inputs(rig: Rig, sounds: Replayed, block_frames: int = BLOCK_FRAMES) -> HeardInputs:
    """Recorded inputs through the whole graph, its delay taken out: both channels of the main voice's device,
    the others as picked, all of shape (frames, 2) and one length. An input that is not there is silent."""
    mixer = Mixer(rig, block_frames)
    late, ahead = mixer.voice_latency_frames, mixer.key_ahead_frames
    frames = len(next(iter(sounds.values())))
    padding = np.zeros((late, 2), np.float32)
    mixer.set_replay(
        {name: np.concatenate([one, padding]) for name, one in sounds.items()}, at_once=True
    )
    rows = {one.id: np.zeros((frames + late, 2), np.float32) for one in rig.inputs}
    key = np.zeros((frames + late, 1), np.float32)
    for start in range(0, frames + late, block_frames):
        count = min(block_frames, frames + late - start)
        mixer.process({}, count)
        for name, row in rows.items():
            row[start : start + count] = mixer.row(name, count)
        key[start : start + count] = mixer.key(count)
    voice = rig.voice
    activity = np.zeros(frames // HOP_FRAMES, np.int8)
    if voice and voice.id in sounds:
        activity = activity_of(picked(sounds[voice.id], voice.channels))
    return HeardInputs(
        {name: row[late:] for name, row in rows.items()}, key[late - ahead :][:frames], activity
    )


def contribution(rig: Rig, one: InputSettings, heard: HeardInputs) -> Block:
    """What an input brings to the Viewers feed, ahead of its ceiling, shape (frames, 2)."""
    row = heard.rows[one.id]
    gain = np.float32(send_gain(rig, one, "viewers"))
    if one.id != rig.chained and one.sends.viewers.tap != "as_it_came":
        row = through_chain(one, row, heard.key)
    brought: Block = row * gain
    return brought


def contributions(rig: Rig, heard: HeardInputs) -> dict[str, Block]:
    """What every input that viewers hear brings to them, by its id. The sum is the feed ahead of its ceiling."""
    return {
        one.id: contribution(rig, one, heard)
        for one in rig.inputs
        if one.id in heard.rows and send_gain(rig, one, "viewers") > 0.0
    }


def viewers_feed(rig: Rig, parts: dict[str, Block]) -> Block:
    """The sum of what the inputs bring, held under the ceiling, its delay taken out, shape (frames, 2)."""
    total: Block = np.sum(list(parts.values()), axis=0, dtype=np.float32)
    settings = rig.feeds.viewers
    if not settings.has_ceiling:
        return total
    ceiling = Limiter(LimiterSettings(ceiling_dbtp=settings.ceiling_dbtp), 2, BLOCK_FRAMES)
    late = ceiling.latency_frames
    out = np.concatenate([total, np.zeros((late, 2), np.float32)])
    for start in range(0, len(out), BLOCK_FRAMES):
        ceiling.process(out[start : start + BLOCK_FRAMES])
    return out[late:]


@dataclass(frozen=True)
class Bands:
    """Mean squares in the bands of the intelligibility index of each piece of speech, shape (pieces, 18): of the
    voice and of every other input by its id. ``starts`` holds the frame at which each piece begins."""

    voice: Floats
    others: dict[str, Floats]
    starts: NDArray[np.intp]

    @property
    def is_enough(self) -> bool:
        """Whether there is speech enough to say anything."""
        return len(self.voice) >= LEAST_PIECES

    def with_other(self, name: str, powers: Floats) -> "Bands":
        """The same with one other input changed."""
        return replace(self, others={**self.others, name: powers})

    def since(self, frame: int) -> "Bands":
        """Of the pieces that begin at a frame or later."""
        cut = int(np.searchsorted(self.starts, frame))
        others = {name: powers[cut:] for name, powers in self.others.items()}
        return Bands(self.voice[cut:], others, self.starts[cut:])

    def followed_by(self, later: "Bands") -> "Bands":
        """These and later ones of the same inputs."""
        others = {
            name: np.concatenate([powers, later.others[name]])
            for name, powers in self.others.items()
        }
        return Bands(
            np.concatenate([self.voice, later.voice]),
            others,
            np.concatenate([self.starts, later.starts]),
        )

    def rest(self) -> Floats:
        """All others together."""
        total: Floats = np.sum([*self.others.values(), np.zeros_like(self.voice)], axis=0)
        return total

    def hearing(self) -> Hearing:
        """What is heard over all the speech."""
        return hearing(self.voice.mean(axis=0), self.rest().mean(axis=0))


def bands_of(
    rig: Rig, parts: dict[str, Block], activity: NDArray[np.integer], first_frame: int = 0
) -> Bands:
    """Spectra of contributions while the voice speaks. ``first_frame`` is the number of their first frame."""
    frames = len(next(iter(parts.values()))) if parts else 0
    starts = speech_pieces(activity, frames)
    powers = {name: band_powers(part, starts) for name, part in parts.items()}
    voice = powers.pop(rig.chained, np.zeros((0, 18)))
    return Bands(voice, powers, starts + first_frame)


class MixFigures(BaseModel):
    """A mix in figures; None where there is too little to say. Clearances and trims by the input's id."""

    voice_peak_dbfs: float | None
    clearance_db: dict[str, float | None]
    integrated_lufs: float | None
    true_peak_dbtp: float
    sii: float | None
    trims_db: dict[str, float]


def peaks_of(part: Block) -> Floats:
    """The 10 ms peaks of a contribution in dBFS."""
    return hops_of(part)[1]


def mix_figures(
    rig: Rig, parts: dict[str, Block], feed: Block, activity: NDArray[np.integer]
) -> MixFigures:
    """Figures of a mix: its contributions, and the feed under its ceiling."""
    voice = parts.get(rig.chained)
    voice_dbfs = None if voice is None else voice_peaks_dbfs(peaks_of(voice), activity)
    meter = TruePeakMeter(2, max(1, len(feed)))
    meter.measure(np.ascontiguousarray(feed))
    bands = bands_of(rig, parts, activity)
    return MixFigures(
        voice_peak_dbfs=voice_dbfs,
        clearance_db={
            name: clearance_db(voice_dbfs, background_peaks_dbfs(peaks_of(part)))
            for name, part in parts.items()
            if name != rig.chained
        },
        integrated_lufs=loudness_lufs(feed),
        true_peak_dbtp=meter.take_dbtp(),
        sii=bands.hearing().index if bands.is_enough else None,
        trims_db={one.id: one.trim_db for one in rig.inputs},
    )


def figures_of(rig: Rig, heard: HeardInputs) -> MixFigures:
    """Figures of the Viewers feed that a rig makes of some seconds."""
    parts = contributions(rig, heard)
    return mix_figures(rig, parts, viewers_feed(rig, parts), heard.activity)


def peaks_heard(rig: Rig, heard: HeardInputs) -> PeaksHeard:
    """The peaks of what every input brings, for the rules."""
    parts = contributions(rig, heard)
    return PeaksHeard({name: peaks_of(part) for name, part in parts.items()}, heard.activity)


def fitted(rig: Rig, heard: HeardInputs) -> tuple[Rig, list[Move]]:
    """The rig with every input that can be told of brought to its target, and how."""
    made = moves(peaks_heard(rig, heard), rig)
    changes = {f"inputs.{one.input_id}.trim_db": one.trim_db for one in made if one.by_db}
    return (changed_together(rig, changes) if changes else rig), made
