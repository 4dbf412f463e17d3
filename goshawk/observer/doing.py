"""What the web process asks the observer for, and what is done then."""

import asyncio
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any, get_args

from pydantic import TypeAdapter

from goshawk.core.chain_slots import Chain
from goshawk.core.graph.comparison import Heard
from goshawk.core.masking.ducking import suggested_ducker
from goshawk.core.measure.levels import SPEECH
from goshawk.core.measure.take import TakeFigures, TakeKind
from goshawk.core.rules.balance import LEAST_HEARD_S, moves
from goshawk.core.rules.sound_check.advice import Wish as CheckWish
from goshawk.core.watch_settings import HeardAs
from goshawk.drives import named, on_drive
from goshawk.errors import BadInput
from goshawk.observer import wishes
from goshawk.observer.balance import with_holds
from goshawk.observer.listen_back import (
    ListenBack,
    measured,
    piece_for_loop,
    pieces_for_replay,
    way_of,
)
from goshawk.page_messages.live import History
from goshawk.store.sound_checks import KeptCheck
from goshawk.units import SAMPLE_RATE_HZ

if TYPE_CHECKING:
    from goshawk.observer.desk import Desk

_chain: TypeAdapter[Chain] = TypeAdapter(Chain)
_figures = TypeAdapter(dict[TakeKind, TakeFigures])
TICK_S = 0.015
PIECE_S = 60.0
"""So long a piece of a recording may take to be read, and computed anew."""


class Doing:
    """Does what the web process asks the observer for: one handler a wish."""

    def __init__(self, desk: "Desk") -> None:
        self._desk = desk
        self._handlers: dict[type, Callable[[Any], Any]] = {
            wishes.LoopLast: self._loop_last,
            wishes.LoopNew: lambda wish: self._desk.looper.record(wish.seconds),
            wishes.LoopStop: lambda wish: self._desk.looper.stop(),
            wishes.LoopHear: lambda wish: self._desk.looper.hear(_one_of(Heard, wish.heard)),
            wishes.KeepOther: self._keep_other,
            wishes.Other: lambda wish: (
                self._desk.looper.other and _chain.dump_json(self._desk.looper.other)
            ),
            wishes.LearnRoom: lambda wish: self._desk.room.start(wish.stage_id),
            wishes.StartTake: self._start_take,
            wishes.CancelTake: lambda wish: self._desk.sound_check.cancel(),
            wishes.GiveTake: lambda wish: self._desk.sound_check.give(
                wish.kind, Path(wish.path), wish.name
            ),
            wishes.RemoveTake: lambda wish: self._desk.sound_check.remove(wish.kind),
            wishes.RunCheck: lambda wish: self._desk.sound_check.run(
                CheckWish.model_validate_json(wish.wish)
            ),
            wishes.StopCheck: lambda wish: self._desk.sound_check.stop_run(),
            wishes.Outcome: self._outcome,
            wishes.Accepted: self._accepted,
            wishes.CheckState: lambda wish: self._desk.sound_check.state.model_dump_json(),
            wishes.ReplayLast: self._replay_last,
            wishes.ReplayStop: lambda wish: self._desk.replay.stop(),
            wishes.ReplayHear: lambda wish: self._desk.replay.hear(
                "before" if wish.heard == "before" else "now"
            ),
            wishes.ToTarget: self._to_target,
            wishes.SuggestDucker: self._suggest_ducker,
            wishes.CountAnew: lambda wish: self._desk.balance.meter.forget_whole(),
            wishes.LetGo: self._let_go,
            wishes.MeasureGain: self._measure_gain,
            wishes.NoticeFault: lambda wish: self._desk.figures.notice_fault(),
            wishes.MeasureDelay: lambda wish: self._desk.figures.forget_delay(),
            wishes.Watch: lambda wish: self._desk.watch(wish),
            wishes.Unwatch: lambda wish: self._desk.unwatch(),
            wishes.KnowEvent: lambda wish: self._desk.watching.know(wish.number),
            wishes.Badness: self._badness,
            wishes.Opening: lambda wish: self._opening(),
            wishes.CatchUp: self._catch_up,
            wishes.HearRecording: self._hear_recording,
            wishes.HearMoment: self._hear_moment,
            wishes.LoopRecording: self._loop_recording,
            wishes.ReplayRecording: self._replay_recording,
            wishes.MeasureRecording: self._measure_recording,
        }
        self._listen_back = ListenBack()

    async def do(self, wish: wishes.Wish) -> Any:
        """Do what is asked for. Raises GoshawkError."""
        value = self._handlers[type(wish)](wish)
        return await value if asyncio.iscoroutine(value) else value

    async def _hear_recording(self, wish: wishes.HearRecording) -> None:
        rig = self._desk.rig_set
        await on_drive(
            lambda: self._listen_back.hear(
                Path(wish.folder),
                way_of(wish.way),
                wish.source,
                wish.first,
                wish.frames,
                rig,
                Path(wish.target),
            ),
            named(Path(wish.folder).parent),
            PIECE_S,
        )

    async def _hear_moment(self, wish: wishes.HearMoment) -> None:
        ago_s = self._desk.watching.now_s - wish.from_s
        await asyncio.to_thread(
            self._desk.last_minutes.hear,
            _one_of(HeardAs, wish.way),
            self._desk.heard_frame - round(ago_s * SAMPLE_RATE_HZ),
            round(wish.seconds * SAMPLE_RATE_HZ),
            Path(wish.target),
        )

    async def _loop_recording(self, wish: wishes.LoopRecording) -> None:
        sound = await on_drive(
            lambda: piece_for_loop(Path(wish.folder), wish.first, wish.end),
            named(Path(wish.folder).parent),
            PIECE_S,
        )
        self._desk.replay.stop()
        self._desk.looper.stop()
        await self._desk.looper.begin(sound)

    async def _replay_recording(self, wish: wishes.ReplayRecording) -> None:
        rig = self._desk.rig_set
        sounds = await on_drive(
            lambda: pieces_for_replay(Path(wish.folder), wish.first, wish.end, rig),
            named(Path(wish.folder).parent),
            PIECE_S,
        )
        if self._desk.looper.state.is_on or self._desk.looper.state.is_recording:
            self._desk.looper.stop()
        await self._desk.replay.start(sounds, rig)

    async def _measure_recording(self, wish: wishes.MeasureRecording) -> bytes:
        found = await on_drive(
            lambda: measured(Path(wish.folder)), named(Path(wish.folder).parent), None
        )
        return found.model_dump_json().encode()

    async def _loop_last(self, wish: wishes.LoopLast) -> None:
        await self._desk.looper.start(wish.seconds)

    def _keep_other(self, wish: wishes.KeepOther) -> None:
        self._desk.looper.keep_other(_chain.validate_json(wish.chain), wish.name)
        self._desk.looper.measure(self._desk.rig_set)

    async def _replay_last(self, wish: wishes.ReplayLast) -> None:
        if self._desk.looper.state.is_on or self._desk.looper.state.is_recording:
            self._desk.looper.stop()
        await self._desk.replay.start(
            self._desk.rows.recorded(self._desk.rig_set, wish.seconds), self._desk.rig_set
        )

    def _start_take(self, wish: wishes.StartTake) -> None:
        if self._desk.rig.voice is None:
            raise BadInput("There is no main voice. Choose your microphone in Wiring first.")
        if self._desk.looper.state.is_on or self._desk.looper.state.is_recording:
            self._desk.looper.stop()
        self._desk.replay.stop()
        if wish.kind:
            self._desk.sound_check.start(_one_of(TakeKind, wish.kind))
        else:
            self._desk.sound_check.start_round()

    def _outcome(self, wish: wishes.Outcome) -> list[bytes]:
        outcome = self._desk.sound_check.outcome
        chain = outcome.chain if outcome else ()
        return [_chain.dump_json(chain), _figures.dump_json(self._desk.sound_check.figures)]

    def _accepted(self, wish: wishes.Accepted) -> None:
        self._desk.sound_check.accepted(KeptCheck.model_validate_json(wish.kept))
        self._desk.drift.forget()

    def _to_target(self, wish: wishes.ToTarget) -> list[Any]:
        rig, held_db = self._desk.rig_set, self._desk.balance.held_db
        made = moves(self._desk.balance.meter.heard(), with_holds(rig, held_db), wish.input_id)
        changes = {
            f"inputs.{one.input_id}.trim_db": one.trim_db for one in made if one.by_db is not None
        }
        sentence = "; ".join(one.text.removesuffix(".") for one in made)
        if not changes and made and not wish.input_id:
            sentence = (
                "Nothing was moved: too little was heard in the last half minute. It takes "
                f"{LEAST_HEARD_S:.0f} s of your voice, and as much of each input"
            )
        if not changes:
            raise BadInput(
                f"{sentence or 'Viewers hear nothing that could be brought to a target'}."
            )
        return [changes, sentence]

    def _let_go(self, wish: wishes.LetGo) -> None:
        held_db = self._desk.balance.held_db
        self._desk.balance.set_held(
            {name: db for name, db in held_db.items() if name not in wish.inputs}
        )

    async def _suggest_ducker(self, wish: wishes.SuggestDucker) -> bytes:
        rig = self._desk.rig_set
        one = rig.input(wish.input_id)
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

    def _measure_gain(self, wish: wishes.MeasureGain) -> None:
        check = self._desk.figures.gain_check
        (check.start if wish.is_on else check.stop)()

    def _badness(self, wish: wishes.Badness) -> float | None:
        findings = self._desk.figures.levels.findings if self._desk.figures.levels else []
        return next((one.badness for one in findings if one.key == wish.key), None)

    def _opening(self) -> list[str]:
        texts = [
            self._desk.sound_check.state.model_dump_json(),
            self._desk.balance.state.model_dump_json(),
        ]
        if self._desk.figures.levels:
            texts.append(History(**self._desk.figures.monitor.history()).model_dump_json())
        return texts

    async def _catch_up(self, wish: wishes.CatchUp) -> None:
        while self._desk.heard_frame < wish.frame:
            await asyncio.sleep(TICK_S)
        await self._desk.figure_once()


def _one_of(literal: Any, value: str) -> Any:
    if value not in get_args(literal):
        raise BadInput("That was not understood. Reload the page.")
    return value
