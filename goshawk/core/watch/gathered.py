"""What moments and figures come to within a second of an evening."""

from collections.abc import Mapping

from goshawk.core.masking.index import sight_of
from goshawk.core.measure.levels import SPEECH
from goshawk.core.mix import HeardInputs, bands_of, contributions
from goshawk.core.observed.reach import HEARD_DBFS
from goshawk.core.rig import Rig
from goshawk.core.routing import FeedName
from goshawk.core.rules.health.moment import Moment
from goshawk.core.watch import second as columns

WORDS_EVERY_S = 10
"""The index is that of the last seconds, so many, and as often."""

_LEAST_WORDS_S = 2.0


class Gathered:
    """The moments of a second."""

    def __init__(self) -> None:
        self._moments: list[Moment] = []

    def push(self, moment: Moment) -> None:
        """One more."""
        self._moments.append(moment)

    def values(self) -> dict[str, float]:
        """Speech, what was lost, and who could hear the voice, by the columns' names."""
        spoken = sum(one.speech_s for one in self._moments)
        found = {
            columns.SPEECH: spoken,
            columns.LOST: sum(one.missed_s for one in self._moments),
        }
        listeners: tuple[tuple[str, FeedName], ...] = (
            (columns.VIEWERS, "viewers"),
            (columns.CALL, "call"),
        )
        whole = sum(one.seconds for one in self._moments)
        for name, feed in listeners:
            is_open = sum(one.seconds for one in self._moments if one.open[feed])
            arrives = any(one.reach_dbfs[feed] > HEARD_DBFS for one in self._moments)
            found[name] = 0.0 if is_open < whole / 2 else 1.0 if arrives else 0.5
        return found


def figures_of_second(
    clearance_db: Mapping[str, float | None],
    voice_dbfs: float | None,
    loudness_lufs: float | None,
) -> dict[str, float]:
    """Figures over the last seconds, by the columns' names; what cannot be told is not there."""
    found = {columns.over(name): value for name, value in clearance_db.items() if value is not None}
    if voice_dbfs is not None:
        found[columns.VOICE_PEAKS] = voice_dbfs
    if loudness_lufs is not None:
        found[columns.LOUDNESS] = loudness_lufs
    return found


def spoken_s(heard: HeardInputs | None) -> float:
    """How many seconds of it are speech; 0 if that is too little for an index."""
    seconds = 0.0 if heard is None else float((heard.activity == SPEECH).sum()) / 100.0
    return seconds if seconds >= _LEAST_WORDS_S else 0.0


def words_of(rig: Rig, heard: HeardInputs) -> float | None:
    """The Speech Intelligibility Index of some seconds (see ``core/masking/index``); None from too little speech."""
    return sight_of(rig, heard, bands_of(rig, contributions(rig, heard), heard.activity)).sii
