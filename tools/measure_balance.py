"""Measure the balance: python -m tools.measure_balance

Prints the figures of docs/measurements.md: the index in every situation before and after one press, what is said to
help beside what it does, and the loudness of five minutes of the demo beside two independent meters. Takes some
three minutes.
"""

import subprocess
import tempfile
from pathlib import Path

import numpy as np
import pyloudnorm
import soundfile

from goshawk.core.graph.mixer import Mixer
from goshawk.core.masking.what_helps import improvements
from goshawk.core.measure.loudness import integrated_lufs
from goshawk.core.mix import bands_of, contributions, figures_of, fitted, heard_inputs
from goshawk.core.rig import Rig, changed_together
from tests.conftest import RATE_HZ
from tests.mixes import SITUATIONS, evening, loud_game, situation

MINUTES = 5
FRAMES = 480


def press() -> None:
    print(
        "| situation | over game, dB | over music, dB | voice peaks, dBFS | true peak, dBTP | index |"
    )
    print("|---|---|---|---|---|---|")
    for name in (*SITUATIONS, "the demo"):
        heard = heard_inputs(Rig(), evening()) if name == "the demo" else situation(name)
        rig, _ = fitted(Rig(), heard)
        before, after = figures_of(Rig(), heard), figures_of(rig, heard)

        def both(was: float | None, now: float | None, digits: int = 1) -> str:
            return " → ".join("–" if x is None else f"{x:.{digits}f}" for x in (was, now))

        print(
            f"| {name} | {both(before.clearance_db['game'], after.clearance_db['game'])} "
            f"| {both(before.clearance_db['music'], after.clearance_db['music'])} "
            f"| {both(before.voice_peak_dbfs, after.voice_peak_dbfs)} "
            f"| {both(before.true_peak_dbtp, after.true_peak_dbtp)} "
            f"| {both(before.sii, after.sii, 2)} |".replace(" -", " −"),
            flush=True,
        )


def helps() -> None:
    rig, heard = loud_game()
    print("\n| a game as loud as the voice | said | found |")
    print("|---|---|---|")
    for one in improvements(rig, heard):
        after = changed_together(rig, one.changes)
        again = heard_inputs(after, evening()) if one.key == "lift" else heard
        parts = contributions(after, again)
        found = bands_of(after, parts, again.activity).hearing().index
        print(f"| {one.title} | {one.sii_before:.3f} → {one.sii_after:.3f} | {found:.3f} |")


def loudness() -> None:
    """Five minutes of the demo's Viewers feed as the graph makes it, by three meters."""
    sounds = evening(60.0 * MINUTES)
    mixer = Mixer(Rig(), FRAMES)
    mixer.set_replay(sounds, at_once=True)
    feed, segments = [], []
    for number in range(60 * MINUTES * RATE_HZ // FRAMES):
        mixer.process({}, FRAMES)
        feed.append(mixer.feed("viewers", FRAMES).copy())
        if number % 10 == 9:
            segments.append(mixer.take_readings().segments)
    whole = np.concatenate(feed)
    ours = integrated_lufs(np.concatenate(segments))
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "viewers.wav"
        soundfile.write(path, whole, RATE_HZ, subtype="FLOAT")
        judge = subprocess.run(
            ["ffmpeg", "-nostats", "-i", path, "-af", "ebur128", "-f", "null", "-"],
            capture_output=True,
            text=True,
            check=True,
        )
    theirs = float(judge.stderr.split("Summary:")[1].split("I:")[1].split()[0])
    other = pyloudnorm.Meter(RATE_HZ).integrated_loudness(whole.astype(float))
    print(f"\n{MINUTES} minutes: {ours:.2f} LUFS; ffmpeg {theirs:.1f}; pyloudnorm {other:.2f}")


if __name__ == "__main__":
    press()
    helps()
    loudness()
