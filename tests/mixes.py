"""Recorded inputs for a balance, made in code: games and music of many kinds under a voice."""

from collections.abc import Callable
from functools import cache

import numpy as np

from goshawk.core.graph.playback import Replayed
from goshawk.core.mix import HeardInputs, heard_inputs
from goshawk.core.rig import Rig
from goshawk.core.stage import Block
from goshawk.devices.sounds import load_sound
from tests.conftest import RATE_HZ, AtticMicrophone, rig_with
from tests.material import noise, voice
from tests.situations import gain

SECONDS = 10.0
FRAMES = round(SECONDS * RATE_HZ)


def stereo(sound: np.ndarray) -> Block:
    """Both sides alike."""
    return np.ascontiguousarray(np.repeat(sound[:FRAMES, None], 2, 1), np.float32)


def peaking(sound: np.ndarray, dbfs: float) -> Block:
    """Brought to a highest peak."""
    return (sound * 10 ** (dbfs / 20) / np.abs(sound).max()).astype(np.float32)


def steady(dbfs: float) -> Block:
    return peaking(stereo(noise("rain", SECONDS)), dbfs)


def bursty(dbfs: float) -> Block:
    """A rush with a blast of 0.4 s every other second."""
    t = np.arange(FRAMES) / RATE_HZ
    blasts = np.where(t % 2.0 < 0.4, 1.0, 0.04)
    return peaking(stereo(noise("hiss", SECONDS) * blasts), dbfs)


def explosion(dbfs: float) -> Block:
    """One long blast, at full scale for its first half."""
    t = np.arange(FRAMES) / RATE_HZ
    return peaking(stereo(np.clip(noise("fan", SECONDS), -2, 2) * np.exp(-t / 8.0)), dbfs)


def chords(dbfs: float, beats_per_minute: float = 0.0) -> Block:
    """A slow chord, with a drum on every beat if there are beats."""
    t = np.arange(FRAMES) / RATE_HZ
    sound = sum(np.sin(2 * np.pi * hz * t) for hz in (147.0, 220.0, 294.0, 370.0)) / 4
    if beats_per_minute:
        since = t % (60.0 / beats_per_minute)
        sound = 0.4 * sound + np.sin(2 * np.pi * 60 * since) * np.exp(-since / 0.08)
    return peaking(stereo(np.asarray(sound)), dbfs)


SITUATIONS: dict[str, tuple[str, Callable[[], Block], Callable[[], Block]]] = {
    "quiet steady game": ("porter", lambda: steady(-45), lambda: chords(-20)),
    "steady game": ("porter", lambda: steady(-18), lambda: chords(-12, 90)),
    "loud steady game": ("porter", lambda: steady(-3), lambda: chords(-30)),
    "bursts": ("porter", lambda: bursty(-10), lambda: chords(-20, 120)),
    "bursts at full scale": ("porter", lambda: bursty(0), lambda: chords(-6)),
    "one long explosion": ("keeper", lambda: explosion(0), lambda: chords(-25, 70)),
    "low voice, quiet game": ("keeper", lambda: bursty(-40), lambda: chords(-40)),
    "music at full scale": ("keeper", lambda: steady(-30), lambda: chords(0, 140)),
    "mono music on one side": (
        "keeper",
        lambda: bursty(-20),
        lambda: chords(-15) * np.float32([1.0, 0.0]),
    ),
    "mastered to full scale": (
        "keeper",
        lambda: np.clip(steady(14), -1, 1),
        lambda: np.clip(chords(8), -1, 1),
    ),
}


@cache
def spoken(name: str) -> HeardInputs:
    """A voice through the demo's chain, and nothing else."""
    sound = np.resize(voice(name), FRAMES)
    return heard_inputs(Rig(), {"voice": stereo(gain(10) * sound)})


def situation(name: str) -> HeardInputs:
    """A voice over a game and music."""
    who, game, music = SITUATIONS[name]
    heard = spoken(who)
    return HeardInputs({**heard.rows, "game": game(), "music": music()}, heard.key, heard.activity)


@cache
def evening(seconds: float = SECONDS) -> Replayed:
    """The demo's own inputs, recorded together."""
    frames = round(seconds * RATE_HZ)
    attic = AtticMicrophone()
    attic.perform("talk")
    attic.set_preamp_gain_db(36.0)
    microphone = np.zeros((frames, 2), np.float32)
    attic.read(microphone)
    sounds = {"voice": microphone}
    for name, file in (("game", "game"), ("music", "music"), ("copilot", "copilot")):
        sound = load_sound(file)
        sounds[name] = np.resize(np.broadcast_to(sound, (len(sound), 2)), (frames, 2))
    return sounds


def loud_game() -> tuple[Rig, HeardInputs]:
    """The demo with its game as loud as the voice."""
    rig = rig_with(inputs__game__trim_db=20.0, inputs__copilot__is_muted=True)
    return rig, heard_inputs(rig, evening())
