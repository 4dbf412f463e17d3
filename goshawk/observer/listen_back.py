"""Hearing and measuring what was recorded: three ways at one loudness, a piece as loop or replay, the evening in figures."""

from pathlib import Path
from typing import Literal, cast

import numpy as np
import soundfile

from goshawk.core.dsp.k_weighting import LoudnessMeter
from goshawk.core.graph.stations import came
from goshawk.core.measure.levels import HOP_FRAMES
from goshawk.core.measure.loudness import SessionLoudness, loudness_lufs
from goshawk.core.measure.true_peak import TruePeakMeter
from goshawk.core.mix import MixFigures, figures_of, heard_inputs
from goshawk.core.recording.document import Figures, Recording, Track, rigs_heard
from goshawk.core.recording.tracks import input_of, is_as_it_came
from goshawk.core.rendering import MOST_GAIN_DB, render_aligned
from goshawk.core.rig import Rig
from goshawk.core.stage import Block, as_stereo
from goshawk.errors import BadInput, BadRecording
from goshawk.store.recordings.folder import COARSE_HOPS, is_coarse, load_document, read_peaks
from goshawk.store.recordings.reading import pieces_of, read_piece
from goshawk.units import SAMPLE_RATE_HZ, db_to_linear

Way = Literal["came", "was", "now"]
"""The main voice as it came, what viewers got, or the voice as it came through the chain as it is now."""

GOAL_LUFS = -23.0
"""EBU R 128: leaves room for the peaks of anything."""

PREROLL_FRAMES = 3 * SAMPLE_RATE_HZ
"""So much is let through the chain ahead of what is heard, so that it stands as if it had run all the time."""

REFERENCE_S = 30
SAMPLES, SAMPLE_FRAMES = 6, 20 * SAMPLE_RATE_HZ
"""Clearance and intelligibility are taken from so many stretches of an evening."""

LONGEST_HEARD_S, LONGEST_LOOP_S, LONGEST_REPLAY_S = 30.0, 60.0, 120.0


class ListenBack:
    """Remembers for one recording by how much each way is to be louder."""

    def __init__(self) -> None:
        self._gains: dict[tuple[str, str, str], float] = {}

    def hear(
        self, folder: Path, way: Way, source: str, first: int, frames: int, rig: Rig, target: Path
    ) -> None:
        """Write a piece as WAV: of one track (``source``), or one of the three ways, equally loud. Raises BadRecording."""
        recording = load_document(folder)
        frames = min(frames, round(LONGEST_HEARD_S * SAMPLE_RATE_HZ))
        sound, _ = self._sound(folder, recording, way, source, first, frames, rig)
        gain_db = 0.0 if source else self._gain_db(folder, recording, way, rig)
        write_heard(target, sound, gain_db)

    def _sound(
        self,
        folder: Path,
        recording: Recording,
        way: Way,
        source: str,
        first: int,
        frames: int,
        rig: Rig,
    ) -> tuple[Block, Track]:
        track = _track(recording, way, source)
        if way != "now" or source:
            return read_piece(folder, track, first, frames), track
        voice = rig.input(input_of(track.source)) or rig.voice
        if voice is None:
            raise BadRecording("There is no main voice now. Choose one in Wiring.")
        lead = min(first, PREROLL_FRAMES)
        came_in = read_piece(folder, track, first - lead, lead + frames)
        return render_aligned(came_in, [(0, voice.chain)])[lead:], track

    def _gain_db(self, folder: Path, recording: Recording, way: Way, rig: Rig) -> float:
        chain = rig.voice.model_dump_json(include={"chain"}) if rig.voice and way == "now" else ""
        key = (recording.id, way, chain)
        if key not in self._gains:
            if len(self._gains) > 50:
                self._gains.clear()
            track = _track(recording, "came", "", "was")
            end = recording.frames
            first, frames = _loudest(folder, recording, track, 0, end, REFERENCE_S * SAMPLE_RATE_HZ)
            sound, _ = self._sound(folder, recording, way, "", first, frames, rig)
            self._gains[key] = gain_to_goal_db(loudness_lufs(sound))
        return self._gains[key]


def gain_to_goal_db(found_lufs: float | None) -> float:
    """By how much what is heard again is made louder; nothing where it has no loudness."""
    gain_db = 0.0 if found_lufs is None else GOAL_LUFS - found_lufs
    return max(-MOST_GAIN_DB, min(MOST_GAIN_DB, gain_db))


def write_heard(target: Path, sound: Block, gain_db: float) -> None:
    """A piece for the page, as WAV. Raises BadInput if the disk does not take it."""
    out = np.clip(sound * np.float32(db_to_linear(gain_db)), -1.0, 1.0)
    try:
        soundfile.write(target, out, SAMPLE_RATE_HZ, format="WAV", subtype="PCM_16")
    except (OSError, soundfile.LibsndfileError):
        raise BadInput(
            "There is no room for what is to be heard. Make room on the disk and try again."
        ) from None


def _track(recording: Recording, way: Way, source: str, otherwise: str = "") -> Track:
    wanted = source or ("viewers" if way == "was" else came(recording.rig.chained))
    track = recording.track(wanted)
    if track is None and not source and way != "was":
        # Another voice may be the main one by now.
        track = next(
            (t for t in recording.tracks if is_as_it_came(t.source) and t.role == "voice"), None
        )
    if track is None and otherwise:
        track = recording.tracks[0]
    if track is None:
        raise BadRecording(
            "What viewers got was not recorded here. Listen to a track."
            if way == "was" and not source
            else "The voice as it came was not recorded here. Listen to a track."
        )
    return track


def _loudest(
    folder: Path, recording: Recording, track: Track, start: int, end: int, frames: int
) -> tuple[int, int]:
    """The stretch of a track, within two frames, in which most was said: its first frame, and how many."""
    frames = min(frames, end - start)
    peaks = read_peaks(folder, recording, start, end, 1)[:, recording.tracks.index(track)]
    per_row = HOP_FRAMES * COARSE_HOPS if is_coarse(start, end, 1) else HOP_FRAMES
    rows = max(1, min(len(peaks), frames // per_row))
    if not len(peaks):
        return start, frames
    sums = np.convolve(peaks.astype(np.float64), np.ones(rows), "valid")
    first = start // per_row * per_row + int(np.argmax(sums)) * per_row
    return max(start, min(first, end - frames)), frames


def piece_for_loop(folder: Path, first: int, end: int) -> Block:
    """The main voice as it came, as its device gave it, shape (frames, 2). Raises BadInput."""
    _check_length(first, end, LONGEST_LOOP_S)
    recording = load_document(folder)
    sound = read_piece(folder, _track(recording, "came", ""), first, end - first)
    return as_stereo(sound)


def pieces_for_replay(folder: Path, first: int, end: int, rig: Rig) -> dict[str, Block]:
    """Every input of the rig as it came, by its id, shape (frames, 2). Raises BadInput."""
    _check_length(first, end, LONGEST_REPLAY_S)
    recording = load_document(folder)
    sounds = _inputs_came(folder, recording, rig, first, end)
    if not any(recording.track(came(one)) for one in sounds):
        raise BadRecording(
            "No input of the rig was recorded here as it came. Choose another piece."
        )
    return sounds


def _inputs_came(
    folder: Path, recording: Recording, rig: Rig, first: int, end: int
) -> dict[str, Block]:
    sounds = {}
    for one in rig.inputs:
        track = recording.track(came(one.id))
        sound = np.zeros((end - first, 1), np.float32)
        if track is not None:
            sound = read_piece(folder, track, first, end - first)
        sounds[one.id] = as_stereo(sound)
    return sounds


def _check_length(first: int, end: int, most_s: float) -> None:
    seconds = (end - first) / SAMPLE_RATE_HZ
    if not 1.0 <= seconds <= most_s:
        raise BadInput(
            f"Choose a piece of 1 to {most_s:g} s; this one has {max(0.0, seconds):.1f}."
        )


def measured(folder: Path) -> Figures:
    """The evening in figures: loudness and true peak of all that viewers got, read piece by piece; clearance over the game and
    intelligibility where most was said, mixed anew by the rigs of then. Raises BadRecording."""
    recording = load_document(folder)
    figures = Figures()
    if not recording.frames:
        return figures
    if recording.track("viewers") is not None:
        block = SAMPLE_RATE_HZ
        meter, peaks, session = LoudnessMeter(2, block), TruePeakMeter(2, block), SessionLoudness()
        for piece in pieces_of(folder, recording, ["viewers"], 0, recording.frames):
            for start in range(0, len(piece["viewers"]), block):
                sound = np.ascontiguousarray(piece["viewers"][start : start + block])
                session.push(meter.measure(sound))
                peaks.measure(sound)
        figures = figures.model_copy(
            update={
                "loudness_lufs": session.integrated_lufs(),
                "true_peak_dbtp": peaks.take_dbtp(),
            }
        )
    voice = recording.track(came(recording.rig.chained))
    if voice is None:
        return figures
    mixes = [
        (rig, mix_of(folder, recording, rig, first, end))
        for rig, first, end in _samples(folder, recording, voice)
    ]
    clearances = [
        mix.clearance_db[one.id]
        for rig, mix in mixes
        for one in rig.inputs
        if one.role == "game" and one.id in mix.clearance_db
    ]
    return figures.model_copy(
        update={
            "clearance_db": _middle(clearances),
            "intelligibility": _middle([mix.sii for _, mix in mixes]),
        }
    )


def _samples(folder: Path, recording: Recording, voice: Track) -> list[tuple[Rig, int, int]]:
    """Of each part of a recording, the stretch in which most was said, and the rig of then."""
    heard = rigs_heard(recording)
    found = []
    part = max(SAMPLE_FRAMES, recording.frames // SAMPLES)
    for start in range(0, max(1, recording.frames - SAMPLE_FRAMES // 2), part):
        end = min(start + part, recording.frames)
        first, frames = _loudest(folder, recording, voice, start, end, SAMPLE_FRAMES)
        rig = [one for frame, one in heard if frame <= first][-1]
        found.append((rig, first, first + frames))
    return found


def mix_of(folder: Path, recording: Recording, rig: Rig, first: int, end: int) -> MixFigures:
    """Figures of a stretch, mixed anew by a rig. Raises BadRecording."""
    rig = rig.model_copy(update={"is_on_break": False})
    return figures_of(rig, heard_inputs(rig, _inputs_came(folder, recording, rig, first, end)))


def _middle(values: list[float | None]) -> float | None:
    known = sorted(one for one in values if one is not None)
    return round(known[len(known) // 2], 3) if known else None


def way_of(text: str) -> Way:
    """One of the three ways. Raises BadInput."""
    if text not in ("came", "was", "now"):
        raise BadInput(
            "Listen as it came (came), as viewers got it (was), or through the chain (now)."
        )
    return cast(Way, text)
