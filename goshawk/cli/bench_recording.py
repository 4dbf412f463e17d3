"""A long recording, written faster than time by what writes it on air; then what a page asks of it first."""

import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from goshawk.core.record_settings import TrackFormat
from goshawk.core.recording.document import Recording
from goshawk.core.recording.names import with_files
from goshawk.core.recording.overview import reduced
from goshawk.core.recording.tracks import offered_tracks
from goshawk.core.rig import Rig
from goshawk.core.stage import Block
from goshawk.errors import BadInput
from goshawk.recorder.listening import PIECE_FRAMES, HeardPiece
from goshawk.recorder.writing import Writing
from goshawk.store.recordings.folder import load_document, read_peaks
from goshawk.store.recordings.names import new_id
from goshawk.store.recordings.shelf import Shelf
from goshawk.system.processes import most_resident_mb
from goshawk.units import SAMPLE_RATE_HZ

SOUND_S = 20
POINTS = 1200
"""As wide as a page draws a recording."""


def _sound(channels: int, rng: np.random.Generator) -> Block:
    """Some noise that swells and fades as speech does, shape (frames, channels)."""
    frames = SOUND_S * SAMPLE_RATE_HZ
    swell = 0.1 * np.abs(np.sin(np.arange(frames) / SAMPLE_RATE_HZ * 3.0))[:, None]
    return (swell * rng.standard_normal((frames, channels))).astype(np.float32)


def run_bench_recording(
    hours: float, file_format: TrackFormat, say: Callable[[str], None]
) -> dict[str, Any]:
    """The demo's tracks for so many hours. Lengths of all files, sizes, the processor's time for an hour of it, and what the
    list and the first picture take. Raises BadInput if the disk breaks off."""
    rig = Rig()
    tracks = with_files(offered_tracks(rig)[:6], file_format)
    document = Recording(
        id=new_id(),
        title="",
        started_utc=datetime.now(UTC),
        file_format=file_format,
        tracks=tracks,
        rig=rig,
    )
    rng = np.random.default_rng(1)
    sounds = [_sound(one.channels, rng) for one in tracks]
    pieces = round(hours * 3600.0 * SAMPLE_RATE_HZ / PIECE_FRAMES)
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        writing = Writing(document, place, place, "{date}", lambda text, _: say(text), waits=True)
        writing.start()
        began, spent = time.monotonic(), time.process_time()
        resident_early_mb: int | None = None
        for n in range(pieces):
            at = n * PIECE_FRAMES % (SOUND_S * SAMPLE_RATE_HZ)
            heard = [one[at : at + PIECE_FRAMES] for one in sounds]
            writing.give(HeardPiece(n * PIECE_FRAMES, heard, [], is_new_session=False))
            if n == pieces // 10:
                resident_early_mb = most_resident_mb()
            if n % max(1, pieces // 8) == 0:
                say(f"{n / pieces * hours:.1f} h …")
        writing.end()
        took_s, spent = time.monotonic() - began, time.process_time() - spent
        if writing.part is None:
            raise BadInput("The disk took it not. Make room and try again.")
        path = writing.part.path
        then = time.monotonic()
        (listed,) = Shelf(lambda: [place]).listed()
        list_ms = (time.monotonic() - then) * 1e3
        then = time.monotonic()
        whole = load_document(path)
        picture = reduced(read_peaks(path, whole, 0, whole.frames, POINTS), POINTS)
        picture_ms = (time.monotonic() - then) * 1e3
        lengths = {soundfile.info(path / one.file).frames for one in whole.tracks}
        sizes = [(path / one.file).stat().st_size for one in whole.tracks]
        return {
            "hours": round(listed.seconds / 3600.0, 3),
            "tracks": len(tracks),
            "equally_long": lengths == {whole.frames} == {pieces * PIECE_FRAMES},
            "bytes_a_frame": [round(one / whole.frames, 3) for one in sizes],
            "gigabytes": round(sum(sizes) / 1e9, 2),
            "core_percent": round(spent / (hours * 3600.0) * 100.0, 2),
            "times_faster": round(hours * 3600.0 / took_s, 1),
            "resident_mb_at_a_tenth": resident_early_mb,
            "resident_mb_at_the_end": most_resident_mb(),
            "list_ms": round(list_ms, 1),
            "picture_ms": round(picture_ms, 1),
            "picture_points": len(picture),
        }
