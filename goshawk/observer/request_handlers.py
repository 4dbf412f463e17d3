"""What the web process asks the observer for, and what is done then."""

import asyncio
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any, get_args

from pydantic import TypeAdapter

from goshawk.core.chain_slots import Chain
from goshawk.core.masking.ducking import suggested_ducker
from goshawk.core.measure.levels import SPEECH
from goshawk.core.measure.take import TakeFigures, TakeKind
from goshawk.core.rules.balance import LEAST_HEARD_S, moves
from goshawk.core.rules.sound_check.advice import Wish as CheckWish
from goshawk.core.watch_settings import HeardAs
from goshawk.drives import named, on_drive
from goshawk.errors import BadInput
from goshawk.observer import passed_on, requests
from goshawk.observer.balance import with_holds
from goshawk.observer.listen_back import (
    ListenBack,
    measured,
    piece_for_loop,
    pieces_for_replay,
    way_of,
)
from goshawk.page_messages.balance import ReplayHear, ReplayLast, ReplayStop
from goshawk.page_messages.chain import LoopHear, LoopLast, LoopNew, LoopStop
from goshawk.page_messages.live import History
from goshawk.page_messages.wiring import MeasureGain
from goshawk.units import SAMPLE_RATE_HZ

if TYPE_CHECKING:
    from goshawk.observer.desk import Desk

_chain: TypeAdapter[Chain] = TypeAdapter(Chain)
_figures = TypeAdapter(dict[TakeKind, TakeFigures])
TICK_S = 0.015
PIECE_S = 60.0
"""So long a piece of a recording may take to be read, and computed anew."""


class RequestHandlers:
    """Does what the web process asks the observer for: one handler a request."""

    def __init__(self, desk: "Desk") -> None:
        self._desk = desk
        self._handlers: dict[type, Callable[[Any], Any]] = {
            requests.PassedOn: self._obey,
            requests.StartTake: self._start_take,
            requests.CancelTake: lambda request: self._desk.sound_check.cancel(),
            requests.GiveTake: lambda request: self._desk.sound_check.give(
                request.kind, Path(request.path), request.name
            ),
            requests.RemoveTake: lambda request: self._desk.sound_check.remove(request.kind),
            requests.RunCheck: lambda request: self._desk.sound_check.run(
                CheckWish.model_validate_json(request.wish)
            ),
            requests.StopCheck: lambda request: self._desk.sound_check.stop_run(),
            requests.CheckOutcome: self._outcome,
            requests.CheckState: lambda request: self._desk.sound_check.state.model_dump_json(),
            requests.ToTarget: self._to_target,
            requests.ComputeDucker: self._compute_ducker,
            requests.Badness: self._badness,
            requests.Opening: lambda request: self._opening(),
            requests.CatchUp: self._catch_up,
            requests.HearRecording: self._hear_recording,
            requests.HearMoment: self._hear_moment,
            requests.LoopRecording: self._loop_recording,
            requests.ReplayRecording: self._replay_recording,
            requests.MeasureRecording: self._measure_recording,
        }
        self._listen_back = ListenBack()

    async def handle(self, request: requests.Request) -> Any:
        """Do what is asked for. Raises GoshawkError."""
        value = self._handlers[type(request)](request)
        return await value if asyncio.iscoroutine(value) else value

    async def _hear_recording(self, request: requests.HearRecording) -> None:
        rig = self._desk.rig_set
        await on_drive(
            lambda: self._listen_back.hear(
                Path(request.folder),
                way_of(request.way),
                request.source,
                request.first,
                request.frames,
                rig,
                Path(request.target),
            ),
            named(Path(request.folder).parent),
            PIECE_S,
        )

    async def _hear_moment(self, request: requests.HearMoment) -> None:
        first = self._desk.watching.began_frame + round(request.from_s * SAMPLE_RATE_HZ)
        await asyncio.to_thread(
            self._desk.last_minutes.hear,
            _one_of(HeardAs, request.way),
            first,
            round(request.seconds * SAMPLE_RATE_HZ),
            Path(request.target),
        )

    async def _loop_recording(self, request: requests.LoopRecording) -> None:
        sound = await on_drive(
            lambda: piece_for_loop(Path(request.folder), request.first, request.end),
            named(Path(request.folder).parent),
            PIECE_S,
        )
        self._desk.replay.stop()
        self._desk.looper.stop()
        await self._desk.looper.begin(sound)

    async def _replay_recording(self, request: requests.ReplayRecording) -> None:
        rig = self._desk.rig_set
        sounds = await on_drive(
            lambda: pieces_for_replay(Path(request.folder), request.first, request.end, rig),
            named(Path(request.folder).parent),
            PIECE_S,
        )
        if self._desk.looper.state.is_on or self._desk.looper.state.is_recording:
            self._desk.looper.stop()
        await self._desk.replay.start(sounds, rig)

    async def _measure_recording(self, request: requests.MeasureRecording) -> bytes:
        found = await on_drive(
            lambda: measured(Path(request.folder)), named(Path(request.folder).parent), None
        )
        return found.model_dump_json().encode()

    async def _obey(self, request: requests.PassedOn) -> None:
        looper, replay = self._desk.looper, self._desk.replay
        match passed_on.read(request):
            case LoopLast(seconds=seconds):
                await looper.start(seconds)
            case LoopNew(seconds=seconds):
                looper.record(seconds)
            case LoopStop():
                looper.stop()
            case LoopHear(heard=heard):
                looper.hear(heard)
            case ReplayLast(seconds=seconds):
                await self._replay_last(seconds)
            case ReplayStop():
                replay.stop()
            case ReplayHear(heard=heard_under):
                replay.hear(heard_under)
            case MeasureGain(is_on=is_on):
                check = self._desk.figures.gain_check
                (check.start if is_on else check.stop)()

    async def _replay_last(self, seconds: float) -> None:
        if self._desk.looper.state.is_on or self._desk.looper.state.is_recording:
            self._desk.looper.stop()
        await self._desk.replay.start(
            self._desk.rows.recorded(self._desk.rig_set, seconds), self._desk.rig_set
        )

    def _start_take(self, request: requests.StartTake) -> None:
        if self._desk.rig.voice is None:
            raise BadInput("There is no main voice. Choose your microphone in Wiring first.")
        if self._desk.looper.state.is_on or self._desk.looper.state.is_recording:
            self._desk.looper.stop()
        self._desk.replay.stop()
        if request.kind:
            self._desk.sound_check.start(_one_of(TakeKind, request.kind))
        else:
            self._desk.sound_check.start_round()

    def _outcome(self, request: requests.CheckOutcome) -> list[bytes]:
        outcome = self._desk.sound_check.outcome
        chain = outcome.chain if outcome else ()
        return [_chain.dump_json(chain), _figures.dump_json(self._desk.sound_check.figures)]

    def _to_target(self, request: requests.ToTarget) -> list[Any]:
        rig, held_db = self._desk.rig_set, self._desk.balance.held_db
        made = moves(self._desk.balance.meter.heard(), with_holds(rig, held_db), request.input_id)
        changes = {
            f"inputs.{one.input_id}.trim_db": one.trim_db for one in made if one.by_db is not None
        }
        sentence = "; ".join(one.text.removesuffix(".") for one in made)
        if not changes and made and not request.input_id:
            sentence = (
                "Nothing was moved: too little was heard in the last half minute. It takes "
                f"{LEAST_HEARD_S:.0f} s of your voice, and as much of each input"
            )
        if not changes:
            raise BadInput(
                f"{sentence or 'Viewers hear nothing that could be brought to a target'}."
            )
        return [changes, sentence]

    async def _compute_ducker(self, request: requests.ComputeDucker) -> bytes:
        rig = self._desk.rig_set
        one = rig.input(request.input_id)
        if one is None or one.id == rig.chained:
            raise BadInput("Only a background input dips under the voice.")
        heard = self._desk.rows.heard(rig)
        if heard is None or (heard.activity == SPEECH).sum() < 100 * LEAST_HEARD_S:
            raise BadInput(
                f"Goshawk needs {LEAST_HEARD_S:.0f} seconds of your voice to set the dip. Talk a little first."
            )
        settings = await asyncio.to_thread(suggested_ducker, rig, heard, one)
        packed: bytes = settings.model_dump_json().encode()
        return packed

    def _badness(self, request: requests.Badness) -> float | None:
        findings = self._desk.figures.levels.findings if self._desk.figures.levels else []
        return next((one.badness for one in findings if one.key == request.key), None)

    def _opening(self) -> list[str]:
        texts = [
            self._desk.sound_check.state.model_dump_json(),
            self._desk.balance.state.model_dump_json(),
        ]
        if self._desk.figures.levels:
            texts.append(History(**self._desk.figures.monitor.history()).model_dump_json())
        return texts

    async def _catch_up(self, request: requests.CatchUp) -> None:
        while self._desk.heard_frame < request.frame:
            await asyncio.sleep(TICK_S)
        await self._desk.figure_once()


def _one_of(literal: Any, value: str) -> Any:
    if value not in get_args(literal):
        raise BadInput("That was not understood. Reload the page.")
    return value
