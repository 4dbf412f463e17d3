"""What plays in place of the devices: a loop of raw voice, or recorded inputs, over and over.

A playback begins only when everything that has to be shut is shut: the devices fade out, the gains arrive at nothing,
then it fades in. At its end it fades out while the devices come back, and it counts as playing until its last sound
has left the chain. So neither end has a click, and nothing of it is heard by who must not hear it.
"""

from collections.abc import Collection

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.stage import GLIDE_MS, Block
from goshawk.core.steps import Step
from goshawk.core.who_hears import Playing
from goshawk.units import ms_to_frames

FADE_FRAMES = ms_to_frames(10.0)
LEAD_FRAMES = ms_to_frames(16.0 * GLIDE_MS)
"""A gain that glides to nothing through two poles stands at −113 dB after 16 time constants."""

TAIL_FRAMES = ms_to_frames(60.0)
"""So much longer than the way through the chain the gains stay shut: filters ring, and a suppressor's comb looks back by up to 19 ms."""

Replayed = dict[str, Block]
"""Sound by an input's id, all of one length: both channels of the voice's device, the others as picked."""


@kernel
def _play_over(came: Block, recorded: Block, live: Block, played: Block) -> None:
    for n in range(came.shape[0]):
        for c in range(came.shape[1]):
            came[n, c] = came[n, c] * live[n, 0] + recorded[n, c] * played[n, 0]


class _Round:
    """A sound that plays over and over, shape (frames, 2)."""

    def __init__(self, sound: Block, max_frames: int) -> None:
        self._sound = sound
        self.block = np.zeros((max_frames, 2), np.float32)
        self._at = 0

    def read(self, frames: int) -> Block:
        block = self.block[:frames]
        done = 0
        while done < frames:
            piece = self._sound[self._at : self._at + frames - done]
            block[done : done + len(piece)] = piece
            done += len(piece)
            self._at = (self._at + len(piece)) % len(self._sound)
        return block


class Playback:
    """Begun with ``start``, ended with ``stop``; ``advance`` once a block, then ``mixed`` for each input."""

    def __init__(self, max_frames: int) -> None:
        self.playing: Playing = "devices"
        self._max_frames = max_frames
        self._rounds: dict[str, _Round] = {}
        self._next: tuple[Playing, Replayed] | None = None
        self._queued: tuple[Playing, Replayed, int] | None = None
        self._lead = self._tail = 0
        self._is_ending = False
        self._live = np.ones((max_frames, 1), np.float32)
        self._played = np.zeros((max_frames, 1), np.float32)
        self._leaving = np.ones((max_frames, 1), np.float32)
        self._weights = [1.0, 0.0, 1.0]
        self._rests = True
        self.version = 0
        """Another one whenever something else plays, or nothing any more."""
        self._nothing = np.zeros((max_frames, 2), np.float32)
        self._out = np.zeros((max_frames, 2), np.float32)

    def start(
        self, playing: Playing, sounds: Replayed, latency_frames: int, *, at_once: bool = False
    ) -> None:
        """Play ``sounds`` from now on: of a loop, the chained input's alone. What plays now ends first.
        ``at_once`` is for mixing offline."""
        if self.playing not in ("devices", playing):
            # The gains that were shut for one may be open for the other: by way of the devices.
            self._queued = (playing, sounds, latency_frames)
            self._end(latency_frames)
            return
        self._queued = None
        self._rests = False
        self.version += 1
        self.playing = playing
        self._next = (playing, sounds)
        self._is_ending = False
        self._lead, self._tail = LEAD_FRAMES, 0
        if at_once:
            self._lead = 0
            self._begin_next()
            self._weights = [0.0, 1.0, 0.0 if playing == "replay" else 1.0]

    def stop(self, playing: Playing, latency_frames: int) -> None:
        """The devices again, if this plays or waits to; until the last sound has gone the way of ``latency_frames``, it still plays."""
        if self._queued and self._queued[0] == playing:
            self._queued = None
        if self.playing == playing:
            self._end(latency_frames)

    def _end(self, latency_frames: int) -> None:
        if self.playing == "devices" or self._is_ending:
            return
        self._next = None
        self._is_ending = True
        self._lead = 0
        self._tail = latency_frames + FADE_FRAMES + TAIL_FRAMES

    @property
    def wanted(self) -> Playing:
        """What is to play as soon as it can: what has to be shut for it is shut already."""
        return self._queued[0] if self._queued else self.playing

    def later(self, more_frames: int) -> None:
        """The way through the chain has become longer."""
        if self._is_ending and more_frames > 0:
            self._tail += more_frames

    def _begin_next(self) -> None:
        assert self._next
        self._rounds = {
            name: _Round(sound, self._max_frames) for name, sound in self._next[1].items()
        }
        self._next = None
        self.version += 1

    def advance(self, frames: int) -> bool:
        """Let a block begin; True if what plays has just ended."""
        if self._rests:
            return False
        has_ended = False
        if self._is_ending:
            self._tail -= frames
            if self._tail <= 0:
                self._is_ending, self.playing = False, "devices"
                self._rounds = {}
                self.version += 1
                has_ended = True
                if self._queued:
                    self.start(*self._queued)
        elif self._next and self._weights[1] == 0.0:
            self._lead -= frames
            if self._lead < 0:
                self._begin_next()
        is_on = bool(self._rounds) and not self._is_ending and self._next is None
        is_live = self.playing == "devices" or self._is_ending
        is_out = self.playing != "replay"
        for place, (row, is_open) in enumerate(
            ((self._live, is_live), (self._played, is_on), (self._leaving, is_out))
        ):
            self._weights[place] = _ramp(row[:frames], self._weights[place], float(is_open))
        if self._rounds and self._weights[1] == 0.0 and (self._is_ending or self._next):
            self._rounds = {}
            self.version += 1
        if self.playing == "devices" and self._weights == [1.0, 0.0, 1.0]:
            self._live.fill(1.0)
            self._played.fill(0.0)
            self._leaving.fill(1.0)
            self._rests = True
        return has_ended

    @property
    def share(self) -> Block:
        """How much of every feed leaves, shape (max_frames, 1), filled anew by each ``advance``."""
        return self._leaving

    def step(self, name: str) -> Step:
        """What plays in place of an input's device, or both in a crossfade. Its sound is taken by ``read``."""
        one = self._rounds.get(name)
        recorded = one.block if one else self._nothing
        return Step(_play_over, recorded, self._live, self._played)

    def read(self, names: Collection[str], frames: int) -> None:
        """The next block of what is recorded, for ``step``."""
        for name in names:
            one = self._rounds.get(name)
            if one:
                one.read(frames)

    def mixed(self, name: str, live: Block) -> Block:
        """One input in this block, shape (frames, 2): its device's sound, what plays in its place, or both in a
        crossfade."""
        frames = len(live)
        if not self._rounds and self._weights[0] == 1.0 == self._live[0, 0]:
            return live
        out = self._out[:frames]
        np.multiply(live, self._live[:frames], out=out)
        one = self._rounds.get(name)
        if one:
            out += one.read(frames) * self._played[:frames]
        return out

    def leaving(self, frames: int) -> Block | None:
        """How much of every feed leaves in this block, shape (frames, 1); None if it is all of it."""
        share = self._leaving[:frames]
        return None if share[0, 0] == 1.0 == share[-1, 0] else share


def _ramp(out: Block, weight: float, goal: float) -> float:
    """Fill ``out`` with a straight way from ``weight`` to ``goal``; returns how far it came."""
    if weight == goal:
        out.fill(goal)
        return weight
    step = (1.0 if goal > weight else -1.0) / FADE_FRAMES
    way = weight + step * np.arange(1, len(out) + 1)
    np.clip(way, 0.0, 1.0, out=way)
    out[:, 0] = way
    return float(way[-1])
