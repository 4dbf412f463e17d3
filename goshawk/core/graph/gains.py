"""Brings to the matrix what ``who_hears`` decides, and remembers what only waits to be open."""

from goshawk.core.graph.matrix import Matrix
from goshawk.core.graph.playback import Playback
from goshawk.core.graph.strip import Strip
from goshawk.core.rig import Rig
from goshawk.core.routing import FEEDS
from goshawk.core.who_hears import leaves_alone, send_gain, when_passed

ALONE = "alone"
"""An input's way to outputs of its own, beside those to the feeds."""


class Gains:
    """The gains of every input towards every feed. ``is_coughing`` and ``held_db`` are set by whoever owns it, then
    ``follow`` is called."""

    def __init__(self, matrix: Matrix, playback: Playback) -> None:
        self._matrix, self._playback = matrix, playback
        self._opens_at: dict[tuple[str, str], int] = {}
        self.is_coughing = False
        self.held_db: dict[str, float] = {}

    @property
    def next_frame(self) -> int | None:
        """When ``follow`` has to be called again, since something opens; None: nothing waits."""
        return min(self._opens_at.values(), default=None)

    def forget(self, input_id: str) -> None:
        """An input is gone."""
        self._opens_at = {way: at for way, at in self._opens_at.items() if way[0] != input_id}

    def follow(self, rig: Rig, strip: Strip, frame: int, way_frames: int, *, at_once: bool) -> bool:
        """Set one input's gains at ``frame``; its sound takes ``way_frames`` to the matrix. True if viewers are to
        hear it, now or when what waits is open."""
        gains = []
        is_heard = False
        playings = {self._playback.playing, self._playback.wanted}
        for place, feed in enumerate(FEEDS):
            one = strip.settings
            # Between a loop and a replay, what is shut for either is shut.
            gain = min(
                send_gain(
                    rig,
                    one,
                    feed,
                    is_coughing=self.is_coughing,
                    held_db=self.held_db.get(one.id, 0.0),
                    playing=playing,
                )
                for playing in playings
            )
            is_heard |= feed == "viewers" and gain > 0.0
            way = (one.id, feed)
            is_open = at_once or self._matrix.is_open(strip.row, place)
            gain, opens_at = when_passed(
                gain,
                is_open=is_open,
                opens_at=self._opens_at.pop(way, None),
                frame=frame,
                way_frames=way_frames,
            )
            if opens_at is not None:
                self._opens_at[way] = opens_at
            gains.append(gain)
        alone = float(
            all(
                leaves_alone(rig, strip.settings, is_coughing=self.is_coughing, playing=playing)
                for playing in playings
            )
        )
        way_alone = (strip.settings.id, ALONE)
        strip.leaves_alone[0], opens_at = when_passed(
            alone,
            is_open=at_once or bool(strip.leaves_alone[0]),
            opens_at=self._opens_at.pop(way_alone, None),
            frame=frame,
            way_frames=way_frames,
        )
        if opens_at is not None:
            self._opens_at[way_alone] = opens_at
        came = [strip.settings.sends.to(feed).tap == "as_it_came" for feed in FEEDS]
        self._matrix.set_gains(
            strip.row,
            [0.0 if is_raw else gain for gain, is_raw in zip(gains, came, strict=True)],
            [gain if is_raw else 0.0 for gain, is_raw in zip(gains, came, strict=True)],
            at_once=at_once,
        )
        return is_heard
