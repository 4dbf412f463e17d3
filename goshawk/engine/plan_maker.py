"""What a plan needs, made beside the sound: it is read, its stages are made, its sounds are loaded. The audio loop takes it
over between two blocks, ready."""

import queue
import threading
from collections import deque
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from goshawk.core.graph.making import Parts
from goshawk.core.graph.playback import Replayed
from goshawk.core.rig import with_shared
from goshawk.core.stage import Block
from goshawk.core.who_hears import only_shut
from goshawk.devices.base import SilentSource, Source
from goshawk.devices.file import FileSource
from goshawk.engine.messages import NewPlan, TriedPlan
from goshawk.engine.plan import Plan

MAX_FRAMES = 1024
MOST_WAITING = 64


@dataclass
class Made:
    """A plan, and what it needs beyond the one before it. ``trouble`` has sentences for what could not be done."""

    plan: Plan
    parts: Parts
    file: Source | None = None
    """What plays as the file device, if that is another than before."""
    loop: Block | None = None
    replay: Replayed | None = None
    trouble: list[str] = field(default_factory=list)


def make(plan: Plan, before: Plan) -> Made:
    """Everything that takes long. What has not changed is the very same object as before."""
    plan = plan.model_copy(update={"rig": with_shared(plan.rig, before.rig)})
    made = Made(plan, Parts(MAX_FRAMES))
    other = plan.comparing.other if plan.loop else None
    was_other = before.comparing.other if before.loop else None
    made.parts.make_ahead(before.rig, plan.rig, was_other, other)
    if (plan.file, plan.file_round) != (before.file, before.file_round):
        made.file = _file(plan, made.trouble)
    if plan.loop and plan.loop != before.loop:
        made.loop = _loaded(plan.loop, "loop", made.trouble)
    if plan.replay and plan.replay != before.replay:
        sounds = _loaded(plan.replay, "replay", made.trouble)
        made.replay = (
            dict(zip(plan.replay_names, sounds, strict=False))
            if sounds.ndim == 3
            else dict.fromkeys(plan.replay_names, sounds)
        )
    return made


def _file(plan: Plan, trouble: list[str]) -> Source:
    if plan.file is None:
        return SilentSource("no file")
    try:
        return FileSource(Path(plan.file), plan.rig.devices.file.is_looped)
    except (OSError, ValueError):
        trouble.append(
            "The sound file is gone or damaged, so the microphone is silent. Choose it again."
        )
        return SilentSource("no file")


def _loaded(path: str, what: str, trouble: list[str]) -> Block:
    """Sound that was put into a file. Of one that cannot be read, silence: what is shut while it plays stays shut."""
    try:
        sound: Block = np.load(path)
        if sound.size and sound.ndim in (2, 3):
            return sound
    except (OSError, ValueError):
        pass
    trouble.append(f"The {what} could not be read, so it is silent. End it, and start it again.")
    return np.zeros((MAX_FRAMES, 2), np.float32)


class PlanMaker:
    """Makes plans in a thread of its own, one after the other; of those that wait, only the newest is made."""

    def __init__(self, first: Plan) -> None:
        self._before = self._whole = first
        """The plan that was made last, and the last that came whole."""
        self._given: queue.Queue[NewPlan | TriedPlan] = queue.Queue(MOST_WAITING)
        self._made: deque[Made | str] = deque()
        self._said = ""
        self._thread = threading.Thread(target=self._run, name="plans", daemon=True)

    def start(self) -> None:
        """Begin; before that, plans are made when they are given."""
        self._thread.start()

    def give(self, plan: NewPlan | TriedPlan) -> None:
        """A plan that has come."""
        if not self._thread.is_alive():
            self._make([plan])
            return
        try:
            self._given.put_nowait(plan)
        except queue.Full:
            return  # It is sent again until it is heard.

    def take(self) -> Made | str | None:
        """The next that is made, or a sentence on why one could not be; None if there is none. Costs nothing."""
        return self._made.popleft() if self._made else None

    def _run(self) -> None:
        while True:
            waiting = [self._given.get()]
            while not self._given.empty():
                waiting.append(self._given.get())
            self._make(waiting)

    def _read(self, waiting: list[NewPlan | TriedPlan]) -> Plan | None:
        """The newest plan of those that wait; None if it is over one that is not here. Raises ValueError, BadSetting."""
        whole = next((one for one in reversed(waiting) if isinstance(one, NewPlan)), None)
        if whole is not None:
            self._whole = whole.read()
        newest = waiting[-1]
        if isinstance(newest, NewPlan):
            return self._whole
        return newest.read(self._whole) if newest.over == self._whole.number else None

    def _make(self, waiting: list[NewPlan | TriedPlan]) -> None:
        plan = None
        try:
            plan = self._read(waiting)
            if plan is None:
                return
            made = make(plan, self._before)
        except Exception as error:  # The sound goes on under the plan that is.
            said = f"A change could not be taken over ({error}). Take it back."
            if said != self._said:  # It is sent again and again, since it is not seen.
                self._said = said
                self._made.append(said)
            if plan is not None:
                self._shut(plan)
            return
        self._said = ""
        self._before = made.plan
        self._made.append(made)

    def _shut(self, plan: Plan) -> None:
        """What is shut in a plan that cannot be made is shut all the same. It keeps the number of the one before, so that it does
        not pass for heard."""
        before = self._before
        shut = before.model_copy(
            update={
                "rig": only_shut(before.rig, plan.rig),
                "is_coughing": before.is_coughing or plan.is_coughing,
            }
        )
        if shut != before:
            made = make(shut, before)
            self._before = made.plan
            self._made.append(made)
