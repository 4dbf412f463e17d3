"""What is done for each message of a page: one line a message."""

import contextlib
from collections.abc import Awaitable, Callable
from typing import Any

from goshawk.errors import BadSetting
from goshawk.observer import requests
from goshawk.observer.passed_on import ForObserver, passed_on
from goshawk.page_messages import balance, chain, recording, settings, watch, wiring
from goshawk.page_messages.live import FromPage
from goshawk.web.application import Application
from goshawk.web.live_page import LivePage


async def _try(application: Application, page: LivePage, values: dict[str, Any]) -> None:
    # While a drag passes over refused values nothing is said; its end says it.
    with contextlib.suppress(BadSetting):
        await application.changes.try_together(page, values)


async def _dismiss(application: Application, page: LivePage, asked: settings.Dismiss) -> None:
    badness = await application.observer.ask(requests.Badness(asked.key))
    await application.changes.dismiss(asked.key, badness)


async def _pass_on(application: Application, page: LivePage, asked: ForObserver) -> None:
    await application.observer.ask(passed_on(asked))


Command = Callable[[Application, LivePage, Any], Awaitable[Any] | None]

COMMANDS: dict[type, Command] = {
    settings.TrySetting: lambda s, page, m: _try(s, page, {m.path: m.value}),
    settings.TryTogether: lambda s, page, m: _try(s, page, m.changes),
    settings.SetSetting: lambda s, _, m: s.changes.set_setting(
        m.path, m.value, is_nudge=m.is_nudge
    ),
    settings.SetTogether: lambda s, _, m: s.changes.set_together(m.changes),
    settings.Undo: lambda s, *_: s.changes.step(-1),
    settings.Redo: lambda s, *_: s.changes.step(+1),
    settings.Dismiss: _dismiss,
    settings.ShowAll: lambda s, *_: s.changes.show_all(),
    wiring.AddInput: lambda s, _, m: s.changes.add_input(m.role),
    wiring.RemoveInput: lambda s, _, m: s.changes.remove_input(m.input_id),
    wiring.MoveInput: lambda s, _, m: s.changes.move_input(m.input_id, m.by),
    wiring.AddOutput: lambda s, _, m: s.changes.add_output(m.source, m.device),
    wiring.RemoveOutput: lambda s, _, m: s.changes.remove_output(m.output_id),
    wiring.FeedAs: lambda s, _, m: s.changes.feed_as(m.feed, m.other),
    wiring.TakeProgram: lambda s, _, m: s.changes.take_program(m.input_id, m.program),
    wiring.HandMicrophone: lambda s, _, m: s.sound.hand_microphone(m.program_id, m.source),
    wiring.SetUnity: lambda s, _, m: s.sound.set_unity(m.key),
    wiring.Cough: lambda s, page, m: s.cough_key.hold(page, m.is_on),
    wiring.WatchDevices: lambda s, page, m: s.visits.look(page, "devices", m.is_on),
    wiring.MeasureDelay: lambda s, *_: s.devices.measure_delay(),
    wiring.FindBuffer: lambda s, _, m: s.buffer_search.find(m.is_on),
    wiring.MeasureGain: _pass_on,
    wiring.Fault: lambda s, _, m: s.devices.fault(m.device, m.fault, m.value),
    chain.AddStage: lambda s, _, m: s.changes.add_stage(m.input_id, m.stage, m.after),
    chain.CopyStage: lambda s, _, m: s.changes.copy_stage(m.stage_id),
    chain.RemoveStage: lambda s, _, m: s.changes.remove_stage(m.stage_id),
    chain.MoveStage: lambda s, _, m: s.changes.move_stage(m.stage_id, m.by),
    chain.WatchStage: lambda s, page, m: s.points.watch_stage(page, m.stage_id),
    chain.WatchChain: lambda s, page, m: s.points.watch_chain(page, m.input_id),
    chain.MeasureInsert: lambda s, _, m: s.tuning.measure_insert(m.stage_id),
    chain.LearnRoom: lambda s, _, m: s.tuning.learn_room(m.stage_id),
    chain.ForgetRoom: lambda s, _, m: s.tuning.forget_room(m.stage_id),
    chain.LoopLast: _pass_on,
    chain.LoopNew: _pass_on,
    chain.LoopStop: _pass_on,
    chain.LoopHear: _pass_on,
    chain.KeepOther: lambda s, _, m: s.tuning.keep_other(m.preset_id),
    chain.SwapOther: lambda s, *_: s.tuning.swap_other(),
    balance.WatchBalance: lambda s, page, m: s.visits.look(page, "balance", m.is_on),
    balance.BringToTarget: lambda s, _, m: s.balance.bring_to_target(m.input_id),
    balance.SuggestDucker: lambda s, _, m: s.balance.suggest_ducker(m.input_id),
    balance.ChooseTargets: lambda s, _, m: s.changes.choose_targets(m.set_id),
    balance.CountAnew: lambda s, *_: s.balance.count_anew(),
    balance.ReplayLast: _pass_on,
    balance.ReplayStop: _pass_on,
    balance.ReplayHear: _pass_on,
    recording.LookAtRecord: lambda s, page, m: s.visits.look(page, "record", m.is_on),
    recording.StartRecording: lambda s, *_: s.record.start(),
    recording.StopRecording: lambda s, *_: s.record.stop(),
    recording.PutMark: lambda s, _, m: s.record.mark(m.name),
    recording.NameMark: lambda s, _, m: s.record.name_mark(m.number, m.name),
    watch.GoOnAir: lambda s, *_: s.on_air.begin(),
    watch.GoOffAir: lambda s, *_: s.on_air.end(),
    watch.LookAtWatch: lambda s, page, m: s.visits.look(page, "checklist", m.is_on),
    settings.BeShown: lambda s, page, m: s.visits.be_shown(page, m.is_on),
    watch.KnowEvent: lambda s, _, m: s.broadcasts.know(m.number),
}


OF_AN_OPEN_PAGE = (
    settings.TrySetting,
    settings.TryTogether,
    wiring.Cough,
    wiring.WatchDevices,
    chain.WatchStage,
    chain.WatchChain,
    balance.WatchBalance,
    watch.LookAtWatch,
    recording.LookAtRecord,
    settings.BeShown,
)
"""What is taken back when its page is gone: begun after that, it would last for ever."""


async def obey(application: Application, page: LivePage, asked: FromPage) -> None:
    """Do what a page asks for. What lasts only as long as its page is not begun once that is gone. Raises GoshawkError."""
    if not page.is_open and isinstance(asked, OF_AN_OPEN_PAGE):
        return
    done = COMMANDS[type(asked)](application, page, asked)
    if done is not None:
        await done
