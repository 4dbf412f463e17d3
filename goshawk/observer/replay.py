"""The replay: recorded inputs that play in place of the devices, to you alone, under the balance of then or of now."""

import asyncio
from collections.abc import Callable
from pathlib import Path

import numpy as np

from goshawk.core.mix import MixFigures, figures_of, heard_inputs
from goshawk.core.observed.row_keeper import sound_of
from goshawk.core.rendering import MOST_GAIN_DB, SHORTEST_LOOP_S, seamless
from goshawk.core.rig import Rig
from goshawk.core.stage import Block
from goshawk.errors import BadInput
from goshawk.observer.kept_sound import KeptSound
from goshawk.page_messages.balance import ReplayHeard, ReplayState
from goshawk.supervisor import NewestWish, Supervisor
from goshawk.units import SAMPLE_RATE_HZ


class Replay:
    """Recorded inputs that play in place of the devices, under the balance of then or of now."""

    def __init__(
        self,
        play: Callable[[Path | None, list[str], float], None],
        tell: Callable[[], None],
        folder: Callable[[str], Path],
        supervisor: Supervisor,
    ) -> None:
        """``play`` goes to the engine, ``tell`` shows the state in every window; ``folder`` gives a place for sound."""
        self._play, self._tell = play, tell
        self._kept = KeptSound(lambda: folder("replay"))
        self._names: list[str] = []
        self._measuring = NewestWish(supervisor, "measuring the replay", self._measure)
        self.before: Rig | None = None
        self.state = ReplayState()

    def close(self) -> None:
        """Forget everything."""
        self._kept.forget()

    async def start(self, sounds: dict[str, Block] | None, rig: Rig) -> None:
        """Replay recorded inputs. Raises BadInput if there are too few seconds, or no room for them."""
        frames = len(next(iter(sounds.values()))) if sounds else 0
        if sounds is None or frames < SHORTEST_LOOP_S * SAMPLE_RATE_HZ:
            raise BadInput("There is not yet enough sound to replay. Wait a few seconds.")
        names = list(sounds)
        looped = await self._kept.keep(lambda: np.stack([seamless(sounds[name]) for name in names]))
        if looped is None:
            return
        self._names = names
        self.before = rig
        self.state = ReplayState(
            is_on=True, duration_s=round(looped.shape[1] / SAMPLE_RATE_HZ, 1), is_measuring=True
        )
        self._play(self._kept.path, self._names, 0.0)
        self.measure(rig)
        self._tell()

    def stop(self) -> None:
        """The devices again."""
        self._kept.call_off()
        if self.state.is_on:
            self.before = None
            self.state = ReplayState()
            self._play(None, [], 0.0)
            self._kept.forget()
            self._tell()

    def hear(self, heard: ReplayHeard) -> None:
        """The balance of then, or of now, equally loud. Raises BadInput."""
        if not self.state.is_on:
            raise BadInput("Nothing is replayed. Start the replay first.")
        self.state = self.state.model_copy(update={"heard": heard})
        self._send()
        self._tell()

    def _send(self) -> None:
        before, now = self.state.before, self.state.now
        gain_db = 0.0
        if self.state.heard == "before" and before and now:
            gain_db = (now.integrated_lufs or 0.0) - (before.integrated_lufs or 0.0)
        self._play(self._kept.path, self._names, max(-MOST_GAIN_DB, min(MOST_GAIN_DB, gain_db)))

    def measure(self, rig: Rig) -> None:
        """Measure both balances on what is replayed, beside everything else."""
        if self.state.is_on:
            self._measuring.ask(rig)

    async def _measure(self, rig: Rig) -> None:
        path, was = self._kept.path, self.before
        if path is None or was is None:
            return
        self.state = self.state.model_copy(update={"is_measuring": True})
        self._tell()
        try:
            before, now = await asyncio.to_thread(compared, path, self._names, was, rig)
        except OSError:
            return  # Another replay took its place, or it has ended.
        finally:
            if self.state.is_on and not self._measuring.has_newer:
                self.state = self.state.model_copy(update={"is_measuring": False})
                self._tell()
        if path == self._kept.path:
            self.state = self.state.model_copy(update={"before": before, "now": now})
            self._send()
            self._tell()


def compared(path: Path, names: list[str], before: Rig, now: Rig) -> tuple[MixFigures, MixFigures]:
    """Figures of two balances on the same recorded inputs."""
    sounds = dict(zip(names, np.load(path), strict=True))
    heard = heard_inputs(before, sounds)
    same = sound_of(before) == sound_of(now)
    return figures_of(before, heard), figures_of(now, heard if same else heard_inputs(now, sounds))
