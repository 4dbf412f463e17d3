"""The way through Goshawk between two devices of the sound server, at several blocks and buffers: the delay that is shown beside
the one that is measured, silence, and drift.

Bursts are played into virtual loudspeakers that Goshawk takes as its voice; what they play (their monitor) and the virtual
microphone of Viewers are recorded by streams of one kind, so that the time between the same burst in both is the way through.
"""

import asyncio
import time
from collections.abc import Callable
from typing import Any

import numpy as np

from goshawk.bus import Bus
from goshawk.core.computer import microphone_key, wanted_virtual
from goshawk.core.dsp.frame_ring import AT_NS, MASK, RING_FRAMES, WRITTEN
from goshawk.core.rig import Rig
from goshawk.core.routing import FeedSettings, InputSettings, OutputSettings, Sends, SendSettings
from goshawk.devices.endpoint import Endpoint
from goshawk.devices.opener import Opener
from goshawk.devices.sound_server.control import SoundServer
from goshawk.engine.client import EngineClient
from goshawk.timeline.readings import EngineReadings, ReadingsReader
from goshawk.units import SAMPLE_RATE_HZ

SETTLES_S = 4.0
AHEAD_S = 0.2
LONGEST_START_S = 60.0
BURST_EVERY_S = 0.37
BURST_FRAMES = 960
LONGEST_DELAY_S = 0.3
_VOICE = "voice"
_LOUDSPEAKERS = f"loudspeakers:{_VOICE}"
_OUR_BUFFER_MS = 40.0
"""Of the recording streams: the same for both, so it does not count."""


def _rig(block_frames: int, blocks: int) -> Rig:
    heard = SendSettings(is_heard=True)
    voice = InputSettings(
        id=_VOICE, name="Voice", role="voice", device=_LOUDSPEAKERS, sends=Sends(viewers=heard)
    )
    rig = Rig(inputs=(voice,), outputs=(OutputSettings(id="out", device="virtual"),))
    buffer_ms = blocks * block_frames / SAMPLE_RATE_HZ * 1000.0
    feeds = rig.feeds.model_copy(update={"viewers": FeedSettings(has_ceiling=False)})
    return rig.model_copy(
        update={"block_frames": block_frames, "device_buffer_ms": buffer_ms, "feeds": feeds}
    )


def _signal() -> np.ndarray[Any, Any]:
    """A burst, and a quiet hum until the next, so that silence is somebody's fault."""
    frame = np.arange(round(BURST_EVERY_S * SAMPLE_RATE_HZ))
    in_burst = frame < BURST_FRAMES
    wave = np.where(in_burst, 0.5, 0.01) * np.where(frame // 24 % 2, 1.0, -1.0)
    return wave.astype(np.float32)


class _DeviceRecorder:
    """What a device gives, with the time of each frame; times of all pieces together, so that one late piece says little."""

    def __init__(self, device: str) -> None:
        self.endpoint = Endpoint.of("in", device, 256, _OUR_BUFFER_MS)
        self._times: list[tuple[int, int]] = []
        self._pieces: list[np.ndarray[Any, Any]] = []
        self._at = 0

    def take(self) -> None:
        numbers, sound = self.endpoint.ring.numbers, self.endpoint.ring.sound
        written, at_ns = int(numbers[WRITTEN]), int(numbers[AT_NS])
        if written > self._at:
            self._pieces.append(sound[0, np.arange(self._at, written) & MASK].copy())
            self._times.append((written, at_ns))
            self._at = written

    def bursts_s(self) -> tuple[list[float], float]:
        """When each burst came, in seconds of the system's clock; and seconds of silence in the middle of sound."""
        sound = np.abs(np.concatenate(self._pieces))
        frames, at_ns = np.array(self._times[5:]).T
        rate, start_ns = np.polyfit(frames.astype(float), at_ns.astype(float), 1)
        loud = np.flatnonzero(sound > 0.1)
        firsts = loud[np.flatnonzero(np.diff(loud, prepend=-SAMPLE_RATE_HZ) > BURST_FRAMES)]
        humming = sound[firsts[0] : firsts[-1]] if len(firsts) else sound
        return [float((start_ns + rate * one) * 1e-9) for one in firsts], float(
            (humming == 0.0).sum() / SAMPLE_RATE_HZ
        )


async def _trial(
    server: SoundServer, block_frames: int, blocks: int, seconds: float
) -> dict[str, Any]:
    rig = _rig(block_frames, blocks)
    for key, title in wanted_virtual(rig).items():
        server.make(key, title)
    virtual = {one.key: one for one in server.state().virtual}
    monitor = virtual[_LOUDSPEAKERS].device
    player = Endpoint.of("out", monitor.removesuffix(".monitor"), 256, 100.0)
    recorders = [
        _DeviceRecorder(monitor),
        _DeviceRecorder(f"server:{virtual[microphone_key('viewers')].name}"),
    ]
    opener = Opener()
    engine = EngineClient(rig, Bus())
    engine.know_computer({key: one.device for key, one in virtual.items()}, [], 0)
    await engine.start()
    reader = ReadingsReader(engine.memory)
    newest: EngineReadings | None = None
    before: EngineReadings | None = None
    try:
        opener.want([player, *(one.endpoint for one in recorders)])
        began = time.monotonic()
        until = began + LONGEST_START_S
        is_through = False
        signal = _signal()
        numbers = player.ring.numbers
        while (now := time.monotonic()) < until:
            written = int(numbers[WRITTEN])
            places = np.arange(written, round((now - began + AHEAD_S) * SAMPLE_RATE_HZ))
            for at in (places & MASK, (places & MASK) + RING_FRAMES):
                player.ring.sound[:, at] = signal[places % len(signal)]
            numbers[WRITTEN] = written + len(places)
            newest = next(reversed(reader.read()), newest)
            if not is_through and newest and newest.outputs["out"]["state"] == "playing":
                is_through, until = True, now + SETTLES_S + seconds
            if is_through and until - now < seconds:
                before = before or newest
                for one in recorders:
                    one.take()
            await asyncio.sleep(0.005)
    finally:
        await engine.stop()
        opener.close()
        server.remove_all()
    (ins, missing_s), (outs, silent_s) = (one.bursts_s() for one in recorders)
    delays = [
        (min(later) - at) * 1000.0
        for at in ins
        if (later := [one for one in outs if 0.0 < one - at < LONGEST_DELAY_S])
    ]
    shown = sum(ms for _, ms in newest.ledgers["viewers"]) if newest else float("nan")
    out = newest.outputs["out"] if newest else {}
    source = newest.devices.get(_LOUDSPEAKERS, {}) if newest else {}
    late = newest.engine.late_blocks - before.engine.late_blocks if newest and before else None
    return {
        "block_frames": block_frames,
        "blocks": blocks,
        "shown_ms": round(shown, 1),
        "measured_ms": round(float(np.median(delays)), 1) if delays else None,
        "spread_ms": round(float(np.ptp(delays)), 1) if delays else None,
        "silence_ms": round(max(0.0, silent_s - missing_s) * 1000.0, 1),
        "dropouts": _dropouts(newest) - _dropouts(before),
        "late_blocks": late,
        "clock_in_ppm": source.get("clock_ppm"),
        "clock_out_ppm": out.get("clock_ppm"),
    }


def _dropouts(readings: EngineReadings | None) -> int:
    if readings is None:
        return 0
    came = readings.devices.get(_LOUDSPEAKERS, {}).get("dropouts", 0)
    return came + readings.outputs["out"].get("dropouts", 0)


def run_bench_devices(
    sizes: list[int], buffers: list[int], seconds: float, say: Callable[[dict[str, Any]], None]
) -> list[dict[str, Any]]:
    """Every block size with every buffer, in blocks. Raises NoSoundServer or SoundServerRefused."""
    server = SoundServer()
    server.sweep()
    results = []
    try:
        for block_frames in sizes:
            for blocks in buffers:
                result = asyncio.run(_trial(server, block_frames, blocks, seconds))
                results.append(result)
                say(result)
    finally:
        server.remove_all()
        server.close()
    return results
