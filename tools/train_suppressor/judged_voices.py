"""Recorded voices that training never hears, for judging alone: prompts of Debian's telephone packages, at 16 kHz."""

import subprocess
from functools import cache
from pathlib import Path

import numpy as np
import soxr

from tests.material import RATE_HZ, SPEECH_DBFS, Mono, speech_rms

PROMPTS = Path("/usr/share/asterisk/sounds")
FOLDERS = {
    "fr": "fr_CA_f_June",
    "it": "it_IT_m_Carlo",
    "es": "es_MX_f_Allison",
    "en": "en_US_f_Allison",
}
SECONDS = 12.0
LEAST_S = 1.5


def _decoded(file: Path) -> Mono:
    raw = subprocess.run(
        [
            "ffmpeg",
            "-v",
            "error",
            "-f",
            "g722",
            "-i",
            str(file),
            "-f",
            "f32le",
            "-ar",
            "16000",
            "-",
        ],
        capture_output=True,
        check=True,
    ).stdout
    return np.frombuffer(raw, np.float32)


@cache
def judged_voice(name: str, offset: int = 0) -> Mono:
    """Some prompts one after the other with short pauses, at 48 kHz and SPEECH_DBFS, shape (frames,). ``offset`` begins further
    on in the list, so that it says something else. Raises SystemExit without the packages."""
    files = sorted((PROMPTS / FOLDERS[name]).rglob("*.g722"))
    if not files:
        raise SystemExit(
            "The voices to judge by are missing: see tools/train_suppressor/README.md."
        )
    chosen = np.random.default_rng(5).permutation(len(files))
    pieces: list[Mono] = []
    for n in np.roll(chosen, -offset):
        sound = _decoded(files[n])
        if len(sound) / 16_000 > LEAST_S:
            pieces += [sound, np.zeros(int(0.5 * 16_000), np.float32)]
        if sum(map(len, pieces)) / 16_000 > SECONDS:
            break
    sound = soxr.resample(np.concatenate(pieces), 16_000, RATE_HZ).astype(np.float32)
    return np.pad(sound * (10 ** (SPEECH_DBFS / 20) / speech_rms(sound)), int(0.3 * RATE_HZ))


@cache
def babble(seconds: float) -> Mono:
    """Six others at once, of unit RMS."""
    frames = int(seconds * RATE_HZ)
    sound = np.zeros(frames)
    for n, name in enumerate((*FOLDERS, "fr", "it")):
        one = judged_voice(name, 40 + 20 * n)
        sound += np.roll(np.resize(one, frames), n * RATE_HZ)
    return (sound / sound.std()).astype(np.float32)
