"""Makes what is shown from the readings: levels five times a second, and the slow measurements (the same sound in two
places, faults of the microphone) beside them."""

import asyncio
import time
from dataclasses import dataclass
from typing import Any

import numpy as np

from goshawk.core.computer import Computer, input_devices
from goshawk.core.device_info import Known, info_of
from goshawk.core.graph.stations import came, feed_station
from goshawk.core.measure.alike import Alike, Likeness, find_alike
from goshawk.core.measure.microphone import (
    LEAST_S,
    WINDOW_S,
    MicrophoneHealth,
    inspect_microphone,
)
from goshawk.core.observed.balance_meter import InputWindow
from goshawk.core.observed.monitor import Monitor
from goshawk.core.observed.reach import ReachMeter
from goshawk.core.observed.row_keeper import RowKeeper
from goshawk.core.observed.time_window import TimeWindow
from goshawk.core.rig import Rig
from goshawk.core.routing import FEEDS, FeedName
from goshawk.core.rules.balance import standings
from goshawk.core.rules.finding import not_put_aside
from goshawk.core.rules.gain import GainCheck, gain_advice
from goshawk.core.rules.staging import limiter_share_findings, staging_findings
from goshawk.core.rules.wiring import Wired, wiring_findings
from goshawk.core.stage import Block
from goshawk.devices.catalog import DEVICES
from goshawk.observer.stage_figures import StageCosts, stage_work
from goshawk.page_messages.balance import BalanceLevels
from goshawk.page_messages.chain import RoomTakeState
from goshawk.page_messages.live import Levels
from goshawk.page_messages.sound_check import TakeProgress
from goshawk.page_messages.wiring import (
    DeviceStatus,
    EncoderStatus,
    EngineHealth,
    LedgerEntry,
    OutputStatus,
)
from goshawk.timeline.readings import EngineReadings
from goshawk.units import SAMPLE_RATE_HZ, SILENCE_DBFS

LEVELS_EVERY_S = 0.2
LEVELS_UNSEEN_EVERY_S = 0.5
SLOW_EVERY_S = 5.0
SLOW_UNSEEN_EVERY_S = 10.0
"""Without a page, only what findings, holds and history need."""

MINUTE_FRAMES = 60 * SAMPLE_RATE_HZ
FIGURES_WINDOW_S = 10
ENCODER_PEAK_FRAMES = 3 * SAMPLE_RATE_HZ
"""Of so much of the newest sound."""

SAME_DELAY_MS = 1.0
"""A buffer that grew by less leaves what was measured as right as it was."""


def compared_sounds(rig: Rig) -> dict[str, str]:
    """The sounds in which the same is looked for, by the name of the input or station."""
    return {
        **{one.id: came(one.id) for one in rig.inputs},
        **{feed_station(feed): feed for feed in FEEDS},
    }


@dataclass(frozen=True)
class Snapshot:
    """What figures are made from, as it was at one moment; nothing of it changes any more."""

    rig: Rig
    monitor: Monitor
    window: dict[str, InputWindow] | None
    devices: dict[str, DeviceStatus]
    outputs: dict[str, OutputStatus]
    computer: Computer
    ledgers: dict[FeedName, list[LedgerEntry]]
    alike: tuple[Alike, ...]
    health: dict[str, MicrophoneHealth]
    shown: frozenset[str]
    """The inputs whose chains somebody looks at, beside the main voice."""
    given: dict[str, Any]
    """Fields of the figures that need no computation."""


def all_known(computer: Computer, rig: Rig) -> Known:
    """Every device by its id: those that ship with Goshawk, and the computer's."""
    return {**DEVICES, **{one.id: one for one in input_devices(computer, rig)}}


class LiveFigures:
    """Windows over the readings of one engine, and the figures and findings made from them. ``rows`` hold what the
    inputs' devices gave lately."""

    def __init__(self, rows: RowKeeper) -> None:
        self._rows = rows
        self.gain_check = GainCheck()
        self.computer = Computer()
        self.measured_delay_ms: dict[FeedName, float | None] | None = None
        self._measured_at: dict[FeedName, float] | None = None
        self.forget_all()

    def known(self, rig: Rig) -> Known:
        """Every device, those of the computer too."""
        return all_known(self.computer, rig)

    def forget_all(self) -> None:
        """The engine is gone: what is not measured any more must not be shown as if it were."""
        self.monitor, self.reach = Monitor(), ReachMeter()
        self.levels: Levels | None = None
        self._likeness = Likeness()
        self._alike: tuple[Alike, ...] = ()
        self._fresh_from = 0
        """What came earlier says nothing of the microphones as they are."""

        self._health: dict[str, MicrophoneHealth] = {}
        self._levels_at = 0.0
        self.every_s = LEVELS_EVERY_S
        self._busy = (0.0, 0.0)
        self._late_counts: TimeWindow[int] = TimeWindow(MINUTE_FRAMES)
        self._dropouts: dict[str, TimeWindow[int]] = {}
        self._device_peaks: dict[str, list[float]] = {}
        self._encoder_peaks: TimeWindow[float] = TimeWindow(ENCODER_PEAK_FRAMES)
        self._costs = StageCosts()
        self._wiring: Any = None
        self._serial = 0

    def forget_microphone(self) -> None:
        """Another microphone, or another gain of it: its levels begin anew."""
        self.monitor.forget()
        self._forget_sound()

    def forget_delay(self) -> None:
        """A delay is being measured anew."""
        self.measured_delay_ms = None

    def _forget_sound(self) -> None:
        self._likeness.forget()
        self._fresh_from = self._rows.end
        self._alike, self._health = (), {}
        self._serial += 1

    def notice_fault(self) -> None:
        """A device was made to go wrong: what was measured before says nothing of it."""
        self._forget_sound()

    def push(self, readings: EngineReadings, rig: Rig) -> bool:
        """Take what the engine says; True if new figures are due (see ``snapshot``)."""
        wiring = (
            rig.devices,
            rig.feeds.you.output,
            rig.chained,
            [(one.id, one.device, one.channels) for one in rig.inputs],
        )
        if wiring != self._wiring:
            self._wiring = wiring
            self._forget_sound()
        self.monitor.push(readings)
        self._costs.push(readings.engine.blocks, readings.stage_busy_s)
        self._likeness.keep_only(compared_sounds(rig).values())
        self.gain_check.push(*self.monitor.newest(), rig, self.known(rig))
        if readings.measured_delay_ms is not None:
            self.measured_delay_ms = readings.measured_delay_ms
            self._measured_at = None
        now = readings.end_frame
        self.reach.push(now, readings.voices)
        self._encoder_peaks.push(now, readings.encoder["peak_dbfs"])
        self._late_counts.push(now, readings.engine.late_blocks + readings.engine.missed_blocks)
        for name, status in readings.devices.items():
            before = self._device_peaks.setdefault(name, status["peaks_dbfs"])
            self._device_peaks[name] = [
                max(pair) for pair in zip(before, status["peaks_dbfs"], strict=True)
            ]
        return time.monotonic() - self._levels_at >= self.every_s

    def hear(self, name: str, at: int, samples: Block) -> None:
        """A piece of one of the ``compared_sounds``, shape (frames, 2), with the time at which it came in, or went out."""
        self._likeness.push(name, at, samples)

    async def listen_slowly(self, rig: Rig) -> None:
        """One round of the slow measurements, in a thread of their own."""
        known = self.known(rig)
        kept, serial = self._likeness.snapshot(), self._serial
        voices = {one.id: self._lately(one.id, rig) for one in rig.inputs if one.role == "voice"}
        names = [one.id for one in rig.inputs]
        pairs = [(a, b) for i, a in enumerate(names) for b in names[i + 1 :]]
        if rig.feeds.you.output == "loudspeakers":
            pairs += [
                (feed_station("you"), one.id)
                for one in rig.inputs
                if info_of(known, one.device).is_in_the_room
            ]
        pairs += [
            (feed_station("call"), one.id)
            for one in rig.inputs
            if info_of(known, one.device).is_call
        ]
        station = {sound: name for name, sound in compared_sounds(rig).items()}
        signals = {station[sound]: one for sound, one in kept.items() if sound in station}

        def work() -> tuple[tuple[Alike, ...], dict[str, MicrophoneHealth]]:
            health = {
                name: inspect_microphone(sound)
                for name, sound in voices.items()
                if len(sound) >= LEAST_S * SAMPLE_RATE_HZ
            }
            return tuple(find_alike(signals, pairs)), health

        alike, health = await asyncio.to_thread(work)
        if serial == self._serial:
            self._alike, self._health = alike, health

    def _lately(self, input_id: str, rig: Rig) -> Block:
        """What an input's device gave in the last seconds, shape (frames, 2)."""
        kept = self._rows.of_input(input_id, rig)
        if kept is None:
            return np.zeros((0, 2), np.float32)
        longest = min(round(WINDOW_S * SAMPLE_RATE_HZ), max(0, kept.end - self._fresh_from))
        return kept.newest(longest)

    def _recent_dropouts(self, name: str, count: int, now: int) -> int:
        """How often a device dropped out in the last minute."""
        seen = self._dropouts.setdefault(name, TimeWindow(MINUTE_FRAMES))
        if len(seen) and count < seen.newest:
            seen.forget()
        seen.push(now, count)
        return count - seen.oldest

    def _devices(self, readings: EngineReadings) -> dict[str, DeviceStatus]:
        statuses = {}
        for name, status in readings.devices.items():
            recent = self._recent_dropouts(name, status["dropouts"], readings.end_frame)
            peaks = self._device_peaks.get(name, status["peaks_dbfs"])
            statuses[name] = DeviceStatus(
                **{**status, "peaks_dbfs": peaks, "recent_dropouts": recent}
            )
        self._device_peaks = {}
        return statuses

    def snapshot(
        self,
        readings: EngineReadings,
        rig: Rig,
        lost: int = 0,
        every_s: float = LEVELS_EVERY_S,
        room_take: RoomTakeState | None = None,
        take: TakeProgress | None = None,
        balance: BalanceLevels | None = None,
        shown: frozenset[str] = frozenset(),
    ) -> Snapshot:
        """What the next figures are to be made from; quick, and beside nothing else."""
        now = time.monotonic()
        self._levels_at = now
        engine = readings.engine
        busy_s, then = self._busy
        spent = engine.busy_s - busy_s
        self._busy = (engine.busy_s, now)
        load = max(0.0, spent) / (now - then) * 100.0 if then else 0.0
        ledgers = {
            feed: [LedgerEntry(name=name, ms=round(ms, 2)) for name, ms in readings.ledgers[feed]]
            for feed in FEEDS
        }
        delays = {feed: float(sum(entry.ms for entry in ledgers[feed])) for feed in FEEDS}
        if self._measured_at is None:
            self._measured_at = delays
        elif any(
            abs(delays[feed] - then) > SAME_DELAY_MS for feed, then in self._measured_at.items()
        ):
            self.measured_delay_ms = None  # What was measured is not what there is now.
        return Snapshot(
            rig=rig,
            monitor=self.monitor.snapshot(),
            window=balance.windows.get(FIGURES_WINDOW_S) if balance else None,
            devices=self._devices(readings),
            outputs={name: OutputStatus(**one) for name, one in readings.outputs.items()},
            computer=self.computer,
            ledgers=ledgers,
            alike=self._alike,
            health=self._health,
            shown=shown,
            given={
                "stage_cost_percent": self._costs.percent(engine.block_frames / SAMPLE_RATE_HZ),
                "room_take": room_take,
                "take": take,
                "balance": balance or BalanceLevels(),
                "gain_minute": self.gain_check.minute,
                "encoder": EncoderStatus(
                    **{
                        **readings.encoder,
                        "peak_dbfs": max(self._encoder_peaks, default=SILENCE_DBFS),
                    }
                ),
                "delay_ms": {feed: round(ms, 1) for feed, ms in delays.items()},
                "measured_delay_ms": self.measured_delay_ms,
                "engine": EngineHealth(
                    load_percent=round(load, 1),
                    late_blocks=engine.late_blocks,
                    missed_blocks=engine.missed_blocks,
                    late_in_last_minute=self._late_counts.newest - self._late_counts.oldest,
                    block_frames=engine.block_frames,
                    is_realtime=engine.is_realtime,
                    restarts=readings.session - 1,
                    figures_every_s=round(every_s, 1),
                    lost_pieces=lost,
                ),
            },
        )


def levels_of(snapshot: Snapshot) -> Levels:
    """Figures and findings over the last ten seconds. It takes its time, and shares nothing."""
    rig, monitor = snapshot.rig, snapshot.monitor
    stations = monitor.stations(rig, snapshot.shown)
    figures = monitor.figures(rig)
    if snapshot.window is not None:
        # At the gains of now: what was just moved is not shown as it was.
        figures["peaks_dbfs"] = {name: one.peaks_dbfs for name, one in snapshot.window.items()}
        figures["clearance_db"] = {
            name: one.clearance_db for name, one in snapshot.window.items() if name != rig.chained
        }
    known = all_known(snapshot.computer, rig)
    wired = Wired(
        rig=rig,
        devices={name: status.model_dump() for name, status in snapshot.devices.items()},
        known=known,
        outputs={name: one.model_dump() for name, one in snapshot.outputs.items()},
        computer=snapshot.computer,
        delays_ms={
            feed: float(sum(entry.ms for entry in entries))
            for feed, entries in snapshot.ledgers.items()
        },
        alike=snapshot.alike,
        health=snapshot.health,
        stations=stations,
        bad_samples=figures["bad_samples"],
    )
    efforts, gates, limiters = stage_work(monitor, rig, snapshot.shown)
    findings = [
        *wiring_findings(wired),
        *staging_findings(stations, rig, known),
        *limiter_share_findings({name: one.share_percent for name, one in limiters.items()}, rig),
    ]
    shown = not_put_aside(findings, rig)
    return Levels(
        **figures,
        **snapshot.given,
        stations={name: levels.rounded() for name, levels in stations.items()},
        efforts=efforts,
        gate_work=gates,
        limiter_work=limiters,
        feed_peaks_dbfs=monitor.feed_peaks(),
        standings=standings(figures["peaks_dbfs"], figures["clearance_db"], rig),
        findings=shown,
        findings_aside=len(findings) - len(shown),
        gain=gain_advice(*monitor.microphone(), rig, known),
        devices=snapshot.devices,
        outputs=snapshot.outputs,
        ledgers=snapshot.ledgers,
    )
