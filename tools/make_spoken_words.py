"""Makes the few words that are said in your ears on air (``goshawk/sounds/aloud``), each behind a soft tone.

It takes a speech synthesiser, in an environment of its own, as ``make_demo_sounds`` does (see docs/demo-sounds.md)."""

from pathlib import Path

import numpy as np
import soundfile
import soxr

from tools.make_demo_sounds import VOICE_RATE_HZ, Sound, speak, speech_level

RATE_HZ = 48_000
TARGET = Path(__file__).parents[1] / "goshawk" / "sounds" / "aloud"
WORDS = {
    "talk_unheard": "You are not heard.",
    "voice_missing": "Your voice does not arrive.",
    "clips": "The microphone clips.",
    "ceiling": "The mix limiter works hard.",
    "device_lost": "A device is disconnected.",
    "device_silent": "The microphone is silent.",
    "device_drifts": "A device drifts.",
    "echo": "There is an echo.",
    "dropouts": "Sound was lost.",
    "gate_chops": "The gate cuts your speech.",
    "room_changed": "Your room or voice has changed.",
    "covered": "Something is above your voice.",
    "loudness_off": "The loudness is off target.",
    "delay_grown": "The delay has grown.",
    "limiter_hard": "The limiter works all the time.",
}
SPEECH_DBFS = -20.0


def tone() -> Sound:
    """Two soft notes, a fourth apart, with gentle ends."""
    t = np.arange(int(0.16 * RATE_HZ)) / RATE_HZ
    shape = np.sin(np.pi * t / t[-1]) ** 2
    notes = [0.09 * shape * np.sin(2 * np.pi * hz * t) for hz in (587.3, 784.0)]
    return np.concatenate([*notes, np.zeros(int(0.12 * RATE_HZ))])


def main() -> None:
    TARGET.mkdir(parents=True, exist_ok=True)
    for name, words in WORDS.items():
        said = speak(words)
        said = said * 10 ** (SPEECH_DBFS / 20) / speech_level(said, VOICE_RATE_HZ)
        sound = np.concatenate([tone(), soxr.resample(said, VOICE_RATE_HZ, RATE_HZ)])
        sound *= min(1.0, 0.5 / float(np.abs(sound).max()))
        soundfile.write(TARGET / f"{name}.flac", sound, RATE_HZ, subtype="PCM_16")


if __name__ == "__main__":
    main()
