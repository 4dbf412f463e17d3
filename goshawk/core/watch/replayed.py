"""The report of an evening made again from its recorded tracks: the whole graph, fed by what its inputs gave then, under the rigs of
then. What a device did, and what was said while nothing was recorded, the tracks do not hold."""

from collections.abc import Iterable

from goshawk.core.graph.mixer import Mixer
from goshawk.core.graph.stations import kept_sounds
from goshawk.core.observed.moments import MomentMaker
from goshawk.core.observed.monitor import Monitor
from goshawk.core.observed.row_keeper import RowKeeper
from goshawk.core.recording.document import Recording, rigs_heard
from goshawk.core.recording.remix import BLOCK_FRAMES, remix_rig
from goshawk.core.recording.tracks import is_as_it_came
from goshawk.core.rules.health.episodes import Episodes
from goshawk.core.rules.health.event import Event
from goshawk.core.stage import Block, as_stereo
from goshawk.core.watch import second as columns
from goshawk.core.watch.evening_meter import EveningMeter
from goshawk.core.watch.gathered import (
    WORDS_EVERY_S,
    Gathered,
    figures_of_second,
    spoken_s,
    words_of,
)
from goshawk.core.watch.report import Anchor, Evening, SettingsChange, advice
from goshawk.core.watch.second import BroadcastHistory, Second
from goshawk.units import SAMPLE_RATE_HZ

READING_BLOCKS = 5
"""About a tenth of a second."""


def evening_of(
    recording: Recording, pieces: Iterable[dict[str, Block]]
) -> tuple[Evening, BroadcastHistory]:
    """The evening that a recording is of; ``pieces`` are its tracks as they came, by their source, each of shape
    (frames, 1 or 2), from the beginning. Raises BadRecording if nothing was recorded as it came."""
    return _Replayed(recording).run(pieces)


class _Replayed:
    def __init__(self, recording: Recording) -> None:
        self._recording = recording
        self._rigs = [(frame, remix_rig(rig, recording)) for frame, rig in rigs_heard(recording)]
        self._rig = self._rigs[0][1]
        self._mixer = Mixer(self._rig, BLOCK_FRAMES)
        self._maker, self._episodes = MomentMaker(), Episodes()
        self._meter, self._monitor, self._history = EveningMeter(), Monitor(), BroadcastHistory()
        self._events: dict[int, Event] = {}
        self._gathered = Gathered()
        self._second = 0
        self._words: float | None = None
        self._rows = RowKeeper()

    def run(self, pieces: Iterable[dict[str, Block]]) -> tuple[Evening, BroadcastHistory]:
        frame = 0
        for piece in pieces:
            sounds = {name: as_stereo(one) for name, one in piece.items() if is_as_it_came(name)}
            if sounds:
                frame = self._pass(sounds, frame)
        ended = self._episodes.end(self._maker.now_s)
        self._events.update({one.number: one for one in ended})
        return self._evening(frame), self._history

    def _pass(self, sounds: dict[str, Block], frame: int) -> int:
        frames = len(next(iter(sounds.values())))
        for n, start in enumerate(range(0, frames, BLOCK_FRAMES)):
            count = min(BLOCK_FRAMES, frames - start)
            self._follow(frame + start)
            block = {name: one[start : start + count] for name, one in sounds.items()}
            self._mixer.process(block, count)
            self._keep(frame + start, count)
            if n % READING_BLOCKS == READING_BLOCKS - 1 or start + count == frames:
                self._read()
        return frame + frames

    def _follow(self, frame: int) -> None:
        due = [rig for at, rig in self._rigs if at <= frame]
        if due[-1] is not self._rig:
            self._rig = due[-1]
            self._mixer.apply(self._rig)

    def _keep(self, frame: int, frames: int) -> None:
        self._rows.follow(self._rig)
        for name in kept_sounds(self._rig):
            sound, late = self._mixer.sound(name, frames)
            self._rows.push(name, frame - late, sound)

    def _read(self) -> None:
        readings = self._mixer.take_readings()
        self._rows.push_activity(readings.first_hop, readings.activity)
        moment = self._maker.push(readings, self._rig)
        if moment is None:
            return
        self._meter.push(readings, self._rig)
        self._monitor.push(readings)
        self._gathered.push(moment)
        for one in self._episodes.push(moment, self._rig):
            self._events[one.number] = one
        ends_s = int(moment.at_s + moment.seconds)
        if ends_s > self._second:
            self._finish_second()
            if self._second % WORDS_EVERY_S == 0:
                self._hear_words()
            self._second = ends_s

    def _finish_second(self) -> None:
        values = self._gathered.values()
        self._gathered = Gathered()
        figures = self._monitor.figures(self._rig)
        values |= figures_of_second(
            figures["clearance_db"],
            figures["peaks_dbfs"].get(self._rig.chained),
            figures["short_term_lufs"],
        )
        values[columns.RECORDING] = 1.0
        if self._words is not None:
            values[columns.WORDS] = self._words
        self._history.put(Second(number=self._second, values=values))

    def _hear_words(self) -> None:
        heard = self._rows.heard(self._rig, WORDS_EVERY_S)
        speech_s = spoken_s(heard)
        index = words_of(self._rig, heard) if heard is not None and speech_s else None
        if index is not None:
            self._words = index
            self._meter.push_words(index, speech_s)

    def _evening(self, frames: int) -> Evening:
        recording, rig = self._recording, self._recording.rig
        evening = Evening(
            id=recording.id,
            title=recording.title,
            note=recording.note,
            started_utc=recording.started_utc,
            seconds=frames / SAMPLE_RATE_HZ,
            is_over=True,
            recording=recording.id,
            rig=rig,
            anchors=[Anchor(at_s=0.0, utc=recording.started_utc)],
            figures=self._meter.figures(rig),
            clearances_db=self._meter.clearances_db(rig),
            voice_peaks_dbfs=self._meter.voice_peaks_dbfs(rig),
            speech_s=round(self._meter.speech_s, 1),
            events=sorted(self._events.values(), key=lambda one: one.began_s),
            marks=list(recording.marks),
            changes=[
                SettingsChange(at_s=one.frame / SAMPLE_RATE_HZ, settings=one.settings)
                for one in recording.changes
            ],
        )
        return evening.model_copy(update={"advice": advice(evening)})


def came_sources(recording: Recording) -> list[str]:
    """The tracks that it takes."""
    return [one.source for one in recording.tracks if is_as_it_came(one.source)]
