"""Make the demo's sounds: python tools/make_demo_sounds.py [OUT_DIR]

Run at development time only, in an environment of its own (see docs/demo-sounds.md); the FLAC
files it writes are shipped. Everything is deterministic: the speech synthesiser has a fixed seed,
the rest is drawn from numbered random generators. All of it is made up: a storyteller plays
*Lanternlock*, an invented canal-lock puzzle game, in an attic with rain on the skylight.
"""

import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray
from scipy import signal

Sound = NDArray[np.float64]
VOICE_RATE_HZ = 24_000
RATE_HZ = 48_000
BACKGROUND_RATE_HZ = 32_000

TALK = [
    "Good evening, and welcome back to the attic. The rain has found the skylight again.",
    "Last week we left the little barge in the third lock, with the lanterns going out one by one.",
    "So, if I open the upper sluice first, the water should carry us past the bell tower.",
    "Should. It never does what I tell it.",
    "There is a keeper in this story who counted every boat for forty years, and never boarded one.",
    "Wait. Did you see that? The green lantern moved.",
    "All right, I will turn the wheel slowly, a quarter at a time, and listen for the pawl.",
    "Thank you for the kind words, I read every one of them, even the silly ones.",
    "Now the gate is shut, the basin is filling, and somewhere below us a bell is ringing.",
]
MURMUR = [
    "Hush. I think somebody is still awake down there.",
    "If we go very quietly, the heron will not notice the boat.",
    "She keeps the key under the third flower pot, next to the oil.",
    "One more lock, and then we can all go to sleep.",
]
LAUGH = [
    "Ha ha ha! Oh no! No, no, no, not the sluice!",
    "Ha ha! It sank! The whole barge just sank!",
    "Yes! Yes! Did you see that? We are through!",
]
COPILOT = [
    "I have the map here, second basin on the left, and mind the low bridge.",
    "That bell means the keeper is awake. Take your time.",
    "No, the other lever. The one with the rope on it.",
    "I count three lanterns still burning, which is better than last week.",
    "Go on, I am listening.",
]
COPILOT_PITCH = 0.83
"""The same synthesiser, played slower: a deeper voice with a longer throat."""


def speak(text: str) -> Sound:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "line.wav"
        subprocess.run(["hibari", text, "--seed", "0", "-o", str(path)], check=True)
        sound, rate = soundfile.read(path)
    assert rate == VOICE_RATE_HZ
    return np.asarray(sound, float)


def shelf(sound: Sound, rate_hz: int, corner_hz: float, gain_db: float) -> Sound:
    """Tilt everything above a corner: a murmur is softer in the highs, a shout brighter."""
    sos = signal.butter(1, corner_hz, "highpass", fs=rate_hz, output="sos")
    return sound + (10 ** (gain_db / 20) - 1) * signal.sosfilt(sos, sound)


def speech_level(sound: Sound, rate_hz: int) -> float:
    """Mean level of the louder 60 % of 10 ms pieces: the voice without its pauses."""
    hop = rate_hz // 100
    power = (sound[: len(sound) // hop * hop].reshape(-1, hop) ** 2).mean(1)
    return float(np.sqrt(np.mean(power[power >= np.quantile(power, 0.4)])))


def performance(
    lines: list[str], level_dbfs: float, tilt_db: float, pauses_s: list[float]
) -> Sound:
    """Lines with pauses between, each line at the same speech level, tilted for the effort."""
    parts: list[Sound] = [np.zeros(int(0.4 * VOICE_RATE_HZ))]
    for number, line in enumerate(lines):
        sound = shelf(speak(line), VOICE_RATE_HZ, 1500.0, tilt_db)
        parts.append(sound * 10 ** (level_dbfs / 20) / speech_level(sound, VOICE_RATE_HZ))
        parts.append(np.zeros(int(pauses_s[number % len(pauses_s)] * VOICE_RATE_HZ)))
    joined = np.concatenate(parts)
    # Speech sits in air, not in digital silence: soften the ends of the synthesiser's own pauses.
    return joined * min(1.0, 0.98 / float(np.abs(joined).max()))


def keyboard(seconds: float) -> Sound:
    """Bursts of keys: a click of the switch, the thud of the key bed, and the plate's short ring."""
    random = np.random.default_rng(11)
    sound = np.zeros(int(seconds * VOICE_RATE_HZ))
    at_s = 0.5
    while at_s < seconds - 0.3:
        for _ in range(int(random.integers(3, 12))):
            if at_s > seconds - 0.3:
                break
            for offset_s, strength in ((0.0, 1.0), (float(random.uniform(0.06, 0.1)), 0.45)):
                n = np.arange(int(0.05 * VOICE_RATE_HZ)) / VOICE_RATE_HZ
                click = random.normal(size=n.size) * np.exp(-n / 0.0025)
                ring = np.sin(2 * np.pi * random.uniform(2200, 4200) * n) * np.exp(-n / 0.006)
                thud = np.sin(2 * np.pi * random.uniform(140, 220) * n) * np.exp(-n / 0.012)
                start = int((at_s + offset_s) * VOICE_RATE_HZ)
                piece = (0.6 * click + 0.3 * ring + 0.5 * thud) * strength * random.uniform(0.5, 1)
                sound[start : start + n.size] += piece[: sound.size - start]
            at_s += float(random.uniform(0.11, 0.24))
        at_s += float(random.uniform(0.5, 1.6))
    return sound / np.abs(sound).max() * 0.5


def coloured_noise(random: np.random.Generator, frames: int, slope_db_per_octave: float) -> Sound:
    """Noise whose spectrum falls by a slope; periodic, so that it loops without a seam."""
    spectrum = np.fft.rfft(random.normal(size=frames))
    hz = np.maximum(np.fft.rfftfreq(frames, 1 / RATE_HZ), 20.0)
    spectrum *= (hz / 1000.0) ** (slope_db_per_octave / 6.02)
    noise = np.fft.irfft(spectrum, frames)
    return noise / float(np.sqrt(np.mean(noise**2)))


def room(seconds: float) -> Sound:
    """The attic with nobody speaking: dehumidifier hum and fan, and rain on the skylight.

    Made so that a microphone gain of 0 dB reads about -60 dBFS RMS before the preamp.
    """
    random = np.random.default_rng(7)
    frames = int(seconds * RATE_HZ)
    t = np.arange(frames) / RATE_HZ
    hum = sum(
        level * np.sin(2 * np.pi * hz * t + hz)
        for hz, level in ((100.0, 1.0), (200.0, 0.45), (300.0, 0.2), (400.0, 0.12), (240.0, 0.35))
    )
    fan = coloured_noise(random, frames, -5.0)
    rain = signal.sosfilt(
        signal.butter(2, [900, 9000], "bandpass", fs=RATE_HZ, output="sos"),
        np.tile(coloured_noise(random, frames, -1.0), 2),
    )[frames:]
    drops = np.zeros(frames)
    for start in random.integers(0, frames - 2000, int(seconds * 9)):
        n = np.arange(1200) / RATE_HZ
        tick = np.sin(2 * np.pi * random.uniform(1500, 5000) * n) * np.exp(-n / 0.003)
        drops[start : start + 1200] += tick * random.exponential(1.0)
    mix = 0.5 * hum + 0.8 * fan + 0.35 * rain / rain.std() + 0.8 * drops
    return mix / float(np.sqrt(np.mean(mix**2))) * 10 ** (-30 / 20)


def bell(t: Sound, hz: float, decay_s: float) -> Sound:
    """A struck bell: hum, prime, tierce, quint and nominal with their own decays."""
    partials = (
        (0.5, 0.4, 1.6),
        (1.0, 1.0, 1.0),
        (1.19, 0.6, 0.8),
        (1.5, 0.35, 0.6),
        (2.0, 0.8, 0.5),
    )
    return sum(
        level * np.exp(-t / (decay_s * length)) * np.sin(2 * np.pi * hz * ratio * t)
        for ratio, level, length in partials
    )


def game(seconds: float) -> Sound:
    """Lanternlock: flowing water all along, sluices that rush, bells, wooden gates that slam."""
    random = np.random.default_rng(23)
    frames = int(seconds * RATE_HZ)
    t = np.arange(frames) / RATE_HZ
    middle, side = (coloured_noise(random, frames, -3.0) for _ in range(2))
    swell = (
        0.6
        + 0.25 * np.sin(2 * np.pi * t * 3 / seconds)
        + 0.15 * np.sin(2 * np.pi * t * 7 / seconds)
    )
    stereo = np.stack([middle + 0.12 * side, middle - 0.12 * side], 1) * swell[:, None] * 0.03

    def add(at_s: float, sound: Sound, pan: float) -> None:
        start = int(at_s * RATE_HZ)
        sound = sound[: frames - start]
        stereo[start : start + sound.size, 0] += sound * np.sqrt(1 - pan)
        stereo[start : start + sound.size, 1] += sound * np.sqrt(pan)

    for at_s, hz, pan in (
        (3, 330, 0.3),
        (9.5, 440, 0.6),
        (17, 294, 0.4),
        (26, 392, 0.7),
        (27.5, 262, 0.5),
    ):
        n = np.arange(int(4 * RATE_HZ)) / RATE_HZ
        add(at_s, 0.16 * bell(n, hz, 1.2), pan)
    for at_s in (6.2, 14.4, 23.8, 30.1):  # a wooden gate closes
        n = np.arange(int(0.7 * RATE_HZ)) / RATE_HZ
        slam = np.sin(2 * np.pi * 62 * n) * np.exp(-n / 0.14) + 0.5 * random.normal(
            size=n.size
        ) * np.exp(-n / 0.05)
        add(at_s, 0.3 * slam, random.uniform(0.3, 0.7))
    for at_s, level in ((11.5, 0.3), (20.5, 0.5), (28.2, 0.55)):  # a sluice opens: a loud burst
        n = np.arange(int(2.2 * RATE_HZ)) / RATE_HZ
        rush = (
            random.normal(size=n.size)
            * np.minimum(n / 0.15, 1)
            * np.exp(-np.maximum(n - 0.6, 0) / 0.5)
        )
        rush = signal.sosfilt(
            signal.butter(2, [150, 5000], "bandpass", fs=RATE_HZ, output="sos"), rush
        )
        add(at_s, level * rush, random.uniform(0.35, 0.65))
    return stereo / np.abs(stereo).max() * 0.7


def pluck(hz: float, seconds: float, random: np.random.Generator) -> Sound:
    """A harp string after Karplus and Strong (1983): filtered noise runs round a delay line."""
    period = round(BACKGROUND_RATE_HZ / hz)
    excitation = np.zeros(int(seconds * BACKGROUND_RATE_HZ))
    excitation[:period] = random.uniform(-1, 1, period)
    feedback = np.zeros(period + 2)
    feedback[0] = 1.0
    feedback[period : period + 2] = -0.4975
    return signal.lfilter([1.0], feedback, excitation)


def reed(hz: float, seconds: float) -> Sound:
    """A reed-organ pipe: a bright, slightly beating tone that swells and fades."""
    t = np.arange(int(seconds * BACKGROUND_RATE_HZ)) / BACKGROUND_RATE_HZ
    tone = sum(
        np.sin(2 * np.pi * hz * k * (1 + 0.0006 * beat) * t + k) / k**1.3
        for k in range(1, 9)
        for beat in (0, 1)
    )
    return tone * np.minimum(t / 0.6, 1) * np.minimum((seconds - t) / 0.9, 1)


def music() -> Sound:
    """A slow loop of four chords: harp arpeggios over a reed organ, 60 beats a minute."""
    random = np.random.default_rng(31)
    chords = (
        (146.8, 220.0, 293.7, 349.2),
        (116.5, 174.6, 233.1, 293.7),
        (130.8, 196.0, 261.6, 329.6),
        (110.0, 164.8, 220.0, 261.6),
    )
    beats = 32
    stereo = np.zeros(((beats + 4) * BACKGROUND_RATE_HZ, 2))

    def add(at_s: float, sound: Sound, pan: float) -> None:
        start = int(at_s * BACKGROUND_RATE_HZ)
        stereo[start : start + sound.size, 0] += sound * np.sqrt(1 - pan)
        stereo[start : start + sound.size, 1] += sound * np.sqrt(pan)

    for bar in range(beats // 4):
        chord = chords[bar % 4]
        for hz in chord[:3]:
            add(bar * 4.0, 0.05 * reed(hz, 4.4), 0.5)
        for step in range(8):
            hz = chord[(step * 3) % 4] * (2 if step % 3 else 1)
            add(bar * 4 + step * 0.5, 0.3 * pluck(hz, 2.5, random), 0.3 + 0.05 * step)
    loop = stereo[: beats * BACKGROUND_RATE_HZ]
    tail = stereo[beats * BACKGROUND_RATE_HZ :]
    loop[: tail.shape[0]] += tail
    return loop / np.abs(loop).max() * 0.7


def main() -> None:
    out = Path(sys.argv[1] if len(sys.argv) > 1 else "goshawk/devices/sounds")
    out.mkdir(parents=True, exist_ok=True)
    talk_pauses = [1.1, 0.9, 1.6, 2.2, 1.0, 1.4]
    copilot = performance(COPILOT, -19.0, 2.0, [2.4, 3.6, 1.8])
    slower = round(VOICE_RATE_HZ / COPILOT_PITCH)
    sounds = {
        "copilot": (soxr.resample(copilot, VOICE_RATE_HZ, slower), VOICE_RATE_HZ),
        "voice_talk": (performance(TALK, -17.0, 0.0, talk_pauses), VOICE_RATE_HZ),
        "voice_murmur": (performance(MURMUR, -20.0, -5.0, [1.8, 1.2]), VOICE_RATE_HZ),
        "voice_laugh": (performance(LAUGH, -13.0, 5.0, [0.9, 1.2]), VOICE_RATE_HZ),
        "keyboard": (keyboard(14.0), VOICE_RATE_HZ),
        "room": (room(12.0), RATE_HZ),
        "game": (soxr.resample(game(32.0), RATE_HZ, VOICE_RATE_HZ), VOICE_RATE_HZ),
        "music": (music(), BACKGROUND_RATE_HZ),
    }
    for name, (sound, rate_hz) in sounds.items():
        path = out / f"{name}.flac"
        soundfile.write(path, sound, rate_hz, "PCM_16")
        print(f"{path}: {len(sound) / rate_hz:.1f} s, {path.stat().st_size // 1024} KiB")


if __name__ == "__main__":
    main()
