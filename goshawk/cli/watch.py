"""``goshawk watch``: the report of an evening, made from its recording."""

from pathlib import Path

from goshawk.core.text.figures import times
from goshawk.core.watch.replayed import came_sources, evening_of
from goshawk.core.watch.report import Evening, shares_of
from goshawk.core.watch.second import BroadcastHistory
from goshawk.store.recordings.folder import load_document
from goshawk.store.recordings.reading import pieces_of


def report_of(folder: Path) -> tuple[Evening, BroadcastHistory]:
    """Raises BadRecording."""
    recording = load_document(folder)
    pieces = pieces_of(folder, recording, came_sources(recording), 0, recording.frames)
    return evening_of(recording, pieces)


def lines_of(evening: Evening, history: BroadcastHistory) -> list[str]:
    """The report in words."""

    def figure(name: str, value: float | None, unit: str, digits: int = 1) -> str:
        return f"{name:<22}" + ("–" if value is None else f"{value:.{digits}f} {unit}".rstrip())

    figures, share = evening.figures, shares_of(history).viewers
    found = [
        f"{evening.title}, {evening.seconds / 60.0:.1f} min, {evening.speech_s:.0f} s of speech",
        figure("Loudness", figures.loudness_lufs, "LUFS"),
        figure("Highest true peak", figures.true_peak_dbtp, "dBTP"),
        *(
            figure(f"Above {evening.rig.input(name).name}", value, "dB")  # type: ignore[union-attr]
            for name, value in evening.clearances_db.items()
            if evening.rig.input(name)
        ),
        figure("Voice peaks", evening.voice_peaks_dbfs, "dBFS"),
        figure("Intelligibility", figures.intelligibility, "", 2),
        figure("Heard by viewers", None if share is None else share * 100.0, "%", 0),
    ]
    for one in evening.events:
        ended = evening.seconds if one.ended_s is None else one.ended_s
        found.append(
            f"{one.began_s:8.1f} s  {one.title}, {ended - one.began_s:.1f} s"
            + (f", {times(one.count)}" if one.count > 1 else "")
        )
    return [*found, *(f"Next time: {one}" for one in evening.advice)]
