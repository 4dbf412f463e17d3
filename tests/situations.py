"""Takes for a sound check, made in code: a voice in three deliveries, in rooms and on microphones of many kinds."""

from collections.abc import Callable

import numpy as np

from goshawk.core.measure.take import TakeKind
from goshawk.core.routing import AtticSettings, Performance
from goshawk.core.stage import Block
from tests.conftest import AtticMicrophone
from tests.material import RATE_HZ, Mono, keys, noise, voice

Takes = dict[TakeKind, Block]
ROOM_DBFS = -66.0


def gain(db: float) -> np.float32:
    return np.float32(10.0 ** (db / 20.0))


def tilted(
    sound: Mono, db_per_octave: float, above_hz: float = 1000.0, until_hz: float = 12_000.0
) -> Mono:
    """A voice is more than louder when it is raised: it is brighter, and softer ones are duller."""
    spectrum = np.fft.rfft(sound)
    hz = np.fft.rfftfreq(len(sound), 1 / RATE_HZ)
    octaves = np.log2(np.clip(hz, above_hz, until_hz) / above_hz)
    return np.fft.irfft(spectrum * 10 ** (db_per_octave * octaves / 20), len(sound)).astype(
        np.float32
    )


def shelved(sound: Mono, db: float, from_hz: float, to_hz: float) -> Mono:
    """Lifted between two frequencies, with soft edges."""
    spectrum = np.fft.rfft(sound)
    hz = np.maximum(np.fft.rfftfreq(len(sound), 1 / RATE_HZ), 1.0)
    inside = 1 / (1 + (from_hz / hz) ** 6) / (1 + (hz / to_hz) ** 6)
    return np.fft.irfft(spectrum * 10 ** (db * inside / 20), len(sound)).astype(np.float32)


def part(name: str, number: int) -> Mono:
    """One half of a voice's sentences, a pause of 0.6 s before each and at the end."""
    sound = voice(name)
    middle = len(sound) // 2
    quiet = np.abs(sound[middle - RATE_HZ : middle + RATE_HZ]).reshape(-1, 480).max(axis=1)
    cut = middle - RATE_HZ + 480 * int(np.convolve(quiet, np.ones(10), "same").argmin())
    half = sound[:cut] if number == 0 else sound[cut:]
    return np.pad(half, int(0.6 * RATE_HZ))


def takes_of(
    name: str = "keeper",
    *,
    usual_db: float = -1.0,
    low_db: float = -12.0,
    big_db: float = 10.0,
    room: Callable[[float], Mono] = lambda s: gain(ROOM_DBFS) * noise("rain", s),
    treat: Callable[[Mono], Mono] = lambda sound: sound,
    after_db: float = 0.0,
    sentences: int = 0,
) -> Takes:
    """Takes of a voice, its levels beside the usual one's; ``room`` makes seconds of noise, ``treat`` is what mouth and
    microphone do, ``after_db`` the preamp."""
    said = part(name, sentences)
    deliveries: dict[TakeKind, Mono] = {
        "room": np.zeros(6 * RATE_HZ, np.float32),
        "low": gain(usual_db + low_db) * tilted(said, -1.5),
        "usual": gain(usual_db) * said,
        "big": gain(usual_db + big_db) * tilted(said, 1.0),
    }
    heard: Takes = {}
    for number, (kind, sound) in enumerate(deliveries.items()):
        around = room(len(sound) / RATE_HZ + 4)[number * RATE_HZ :]
        whole = (
            treat(sound)
            + around[: len(sound)]
            + gain(-100) * noise("hiss", len(sound) / RATE_HZ)[: len(sound)]
        )
        heard[kind] = np.clip(gain(after_db) * whole, -1.0, 1.0).astype(np.float32)[:, None]
    return heard


def attic() -> Takes:
    """The stand-in's voice in its room."""
    performances: dict[TakeKind, Performance] = {
        "room": "silent", "low": "murmur", "usual": "talk", "big": "laugh", "keys": "type",
    }  # fmt: skip
    takes: Takes = {}
    for kind, performance in performances.items():
        microphone = AtticMicrophone()
        microphone.set_preamp_gain_db(AtticSettings().preamp_gain_db)
        microphone.perform(performance)
        heard = np.zeros(((8 if kind in ("room", "keys") else 10) * RATE_HZ, 2), np.float32)
        microphone.read(heard)
        takes[kind] = np.ascontiguousarray(heard[:, :1])
    return takes


def babble(seconds: float) -> Mono:
    """An office: three voices far off, all the time."""
    frames = int(seconds * RATE_HZ)
    crowd = np.zeros(frames, np.float32)
    for number, name in enumerate(("ferryman", "miller", "porter", "ferryman", "porter", "miller")):
        one = np.tile(voice(name), 1 + frames // len(voice(name)))
        crowd += np.roll(one, number * 70_001)[:frames]
    return gain(-34) * tilted(crowd, -3.0, 500.0) + gain(ROOM_DBFS) * noise("fan", seconds)


SITUATIONS: dict[str, Callable[[], Takes]] = {
    "attic": attic,
    "preamp far too low": lambda: takes_of("keeper", after_db=-24.0),
    "preamp far too high": lambda: takes_of(
        "porter", low_db=-11.0, big_db=6.0, after_db=7.0, usual_db=0.0
    ),
    "fan louder": lambda: takes_of("keeper", room=lambda s: gain(-52) * noise("fan", s)),
    "hum": lambda: takes_of("porter", room=lambda s: gain(-56) * noise("hum", s)),
    "whisperer": lambda: takes_of("keeper", usual_db=-18.0, low_db=-8.0, big_db=6.0),
    "shouter": lambda: takes_of("porter", usual_db=-7.0, low_db=-14.0, big_db=14.0),
    "sibilant": lambda: takes_of("keeper", treat=lambda x: shelved(x, 7.0, 5000.0, 11_000.0)),
    "boomy": lambda: takes_of(
        "porter", treat=lambda x: shelved(x, 9.0, 60.0, 260.0), usual_db=-6.0
    ),
    "office": lambda: takes_of("keeper", room=babble),
}


def clean_and_even() -> Takes:
    """Nothing to do: an even voice in a silent booth, at its target."""
    return takes_of(
        "keeper", usual_db=6.0, low_db=-4.0, big_db=3.0, room=lambda s: gain(-92) * noise("hiss", s)
    )


__all__ = ["SITUATIONS", "clean_and_even", "keys", "takes_of"]
