"""Bands of the newest seconds of a balance, of which only what is new since the last look is computed."""

from goshawk.core.measure.intelligibility import PIECES_EVERY_HOPS, pieces_that_fit
from goshawk.core.measure.levels import HOP_FRAMES
from goshawk.core.mix import Bands, HeardInputs, bands_of, contributions
from goshawk.core.rig import Rig

LEAD_HOPS = 200
"""So much is played through the chains ahead of what is new: EQ, compressors and duckers have settled by then."""


class RunningBands:
    """Keeps the bands of each piece of speech of the newest ``seconds``, while the rig stays as it is."""

    def __init__(self, seconds: float) -> None:
        self._kept_hops = round(seconds * 100)
        self._rig: Rig | None = None
        self._bands: Bands | None = None
        self._next_hop = 0

    def take(self, rig: Rig, heard: HeardInputs) -> Bands:
        """Take in what is new of the inputs heard, and return the bands of all that is kept. Another rig, a gap or a count that
        began anew begins anew."""
        begins = -(-heard.first_hop // PIECES_EVERY_HOPS) * PIECES_EVERY_HOPS
        if rig != self._rig or not begins <= self._next_hop <= heard.end_hop:
            self._rig, self._bands, self._next_hop = rig, None, min(begins, heard.end_hop)
        lead = heard.from_hop(max(heard.first_hop, self._next_hop - LEAD_HOPS))
        fresh = heard.from_hop(self._next_hop)
        frames = len(fresh.key)
        parts = {
            name: part[len(part) - frames :] for name, part in contributions(rig, lead).items()
        }
        new = bands_of(rig, parts, fresh.activity, self._next_hop * HOP_FRAMES)
        self._next_hop += pieces_that_fit(len(fresh.activity)) * PIECES_EVERY_HOPS
        kept = new if self._bands is None else self._bands.followed_by(new)
        self._bands = kept.since((heard.end_hop - self._kept_hops) * HOP_FRAMES)
        return self._bands
