"""Computes a sound check in a process of its own, so that neither sound nor figures wait for it."""

import multiprocessing
import os
import threading
from multiprocessing.connection import Connection
from pathlib import Path

import numpy as np
import soundfile

from goshawk.core.measure.loudness import loudness_lufs
from goshawk.core.measure.take import VOICES, TakeKind
from goshawk.core.rules.sound_check.advice import Wish
from goshawk.core.sound_check import Activities, run_with_sound
from goshawk.core.stage import Block
from goshawk.errors import GoshawkError
from goshawk.model_file import give_weights
from goshawk.store.work_folder import HEARD_SIDES, heard_path, private_folder
from goshawk.system.scheduling import give_way
from goshawk.units import SAMPLE_RATE_HZ, db_to_linear

_MOST_LINEAR = 0.9


NICENESS = 5
"""Beyond the observer's own: figures go before a check."""


def stay_behind() -> None:
    """The sound on air goes before this work, and it ends with the process that started it, however that ends."""
    give_way(NICENESS)
    parent = multiprocessing.parent_process()
    if parent:
        threading.Thread(target=_end_with, args=(parent,), daemon=True).start()


def _end_with(parent: multiprocessing.process.BaseProcess) -> None:
    parent.join()
    os._exit(0)


def work(
    pipe: Connection,
    takes: dict[TakeKind, Path],
    known: Activities,
    wish: Wish,
    folder: Path,
    serial: int,
) -> None:
    """Sends ("progress", text, share) as it goes and ("done", Outcome) or ("failed", sentence) at the end. The voices
    before and after, equally loud, are then in ``folder``."""
    stay_behind()
    give_weights()
    try:
        sounds = {kind: read_take(path) for kind, path in takes.items()}
        outcome, after = run_with_sound(
            sounds, wish, lambda text, share: pipe.send(("progress", text, share)), known
        )
        for kind in VOICES:
            write_pair(folder, serial, kind, sounds[kind][: len(after[kind])], after[kind])
        pipe.send(("done", outcome))
    except GoshawkError as error:
        pipe.send(("failed", str(error)))
    except BrokenPipeError:
        return  # it was given up: nobody listens any more
    finally:
        pipe.close()


def read_take(path: Path) -> Block:
    """A take as it was kept, shape (frames, 1)."""
    sound, _ = soundfile.read(path, dtype="float32", always_2d=True)
    return np.ascontiguousarray(sound, np.float32)


def write_take(path: Path, sound: Block) -> None:
    """Keep a take's samples exactly."""
    private_folder(path.parent)
    soundfile.write(path, sound, SAMPLE_RATE_HZ, format="WAV", subtype="FLOAT")


def write_pair(folder: Path, serial: int, kind: str, before: Block, after: Block) -> None:
    """Both sides of a take, equally loud: the raw one is brought to the other, and both down if it would clip."""
    loud = [loudness_lufs(sound) for sound in (before, after)]
    gain_db = 0.0 if loud[0] is None or loud[1] is None else loud[1] - loud[0]
    raised = before * np.float32(db_to_linear(gain_db))
    greatest = max(float(np.abs(raised).max()), float(np.abs(after).max()), 1e-9)
    share = np.float32(min(1.0, _MOST_LINEAR / greatest))
    for side, sound in zip(HEARD_SIDES, (raised, after), strict=True):
        soundfile.write(
            heard_path(folder, serial, kind, side), sound * share, SAMPLE_RATE_HZ, subtype="PCM_16"
        )
