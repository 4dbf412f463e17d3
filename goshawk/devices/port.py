"""Where a device meets the engine: its clock, its packets, its faults, and its level.

A device whose rate is the engine's and whose clock does not wander is read block by block. Any other
delivers packets by its own clock; they are brought to 48 kHz and to the engine's clock.
"""

import math

import numpy as np
import soxr

from goshawk.core.device_info import DeviceInfo
from goshawk.core.device_readings import DeviceReading
from goshawk.core.dsp.rate_matcher import MatcherReading, RateMatcher
from goshawk.core.stage import Block
from goshawk.core.steps import Step, copying
from goshawk.devices.base import Source, raise_peaks
from goshawk.devices.catalog import checked_fault
from goshawk.units import (
    SAMPLE_RATE_HZ,
    SILENCE_DBFS,
    db_to_linear,
    frames_to_ms,
    linear_to_db,
    ms_to_frames,
)

PACKET_FRAMES = 256
AGE_MARGIN_MS = 4.0
"""Sound is this much older than converter, packet and block need: the slack for late blocks."""

HUM_DBFS = -34.0
HUM_PARTIALS = (1.0, 0.5, 0.35, 0.2)
"""Mains hum comes with its harmonics: rectifiers and saturated transformers make them."""


class _OwnClock:
    """Turns sound made at the engine's pace into a device's packets: rate, drift, whole packets."""

    def __init__(
        self,
        channels: int,
        said_hz: float,
        delivered_hz: float,
        drift_ppm: float,
        block_frames: int,
    ) -> None:
        self.actual_hz = delivered_hz * (1.0 + drift_ppm * 1e-6)
        self._converter = soxr.ResampleStream(
            SAMPLE_RATE_HZ, self.actual_hz, channels, dtype="float32", quality="HQ", vr=True
        )
        self._waiting = np.zeros((0, channels), np.float32)
        packet_ms = PACKET_FRAMES / said_hz * 1000.0
        lag_ms = 240.0 / min(said_hz, SAMPLE_RATE_HZ) * 1000.0
        self.matcher = RateMatcher(
            channels, said_hz, packet_ms + lag_ms + frames_to_ms(block_frames) + AGE_MARGIN_MS
        )
        priming = np.zeros((SAMPLE_RATE_HZ // 10, channels), np.float32)
        came_out = len(self._converter.resample_chunk(priming))
        self.converter_ms = (len(priming) / SAMPLE_RATE_HZ - came_out / self.actual_hz) * 1000.0

    def run(self, block: Block, at_s: float, is_delivering: bool) -> None:
        """Take a block of the world's sound, and leave in it what the engine gets at ``at_s``."""
        made = self._converter.resample_chunk(block)
        self._waiting = np.concatenate([self._waiting, made])
        while len(self._waiting) >= PACKET_FRAMES:
            packet, self._waiting = np.split(self._waiting, [PACKET_FRAMES])
            if is_delivering:
                # The packet's last frame was captured before those that wait after it.
                self.matcher.push(packet, at_s - len(self._waiting) / self.actual_hz)
        self.matcher.pull(block, at_s)


class Port:
    """One input device with two channels at 48 kHz, whatever it is behind them."""

    def __init__(self, info: DeviceInfo, source: Source) -> None:
        self.info = info
        self.source = source
        self._peaks = np.zeros(2)
        self._raising = Step(raise_peaks, self._peaks)
        self._mono = np.zeros((0, 1), np.float32)
        self._hum_phase = 0.0
        self._block_frames = 256
        self._heal()

    def set_block_frames(self, block_frames: int) -> None:
        """The engine asks for blocks of another length from now on."""
        if block_frames != self._block_frames:
            self._block_frames = block_frames
            self._follow_clock()

    def _heal(self) -> None:
        self.is_plugged = True
        self._is_silent = self._is_inverted = False
        self._stall_frames = self._nan_samples = 0
        self._stalls = 0
        self._rate_hz = float(self.info.rate_hz)
        self._delivered_hz = self._rate_hz
        self._drift_ppm = self.info.clock_ppm
        self._dc = self._hum_hz = 0.0
        self._clip = 0.0
        self._follow_clock()

    def fault(self, name: str, value: float | None) -> None:
        """Make something go wrong, or mend it. Raises BadInput with a sentence."""
        figure = checked_fault(self.info.id, name, value)
        match name:
            case "unplug" | "replug":
                self.is_plugged = name == "replug"
                self._follow_clock()
            case "stall":
                self._stall_frames = ms_to_frames(figure)
                self._stalls += 1
            case "silence":
                self._is_silent = True
            case "rate":
                self._rate_hz = self._delivered_hz = figure
                self._follow_clock()
            case "delivers":
                self._delivered_hz = figure
                self._follow_clock()
            case "drift":
                self._drift_ppm = figure
                self._follow_clock()
            case "nan":
                self._nan_samples = int(figure)
            case "dc":
                self._dc = db_to_linear(figure)
            case "hum":
                self._hum_hz = figure
            case "clip":
                self._clip = db_to_linear(figure)
            case "invert":
                self._is_inverted = True
            case "heal":
                self._heal()

    def _follow_clock(self) -> None:
        is_engines = self._delivered_hz == SAMPLE_RATE_HZ == self._rate_hz and not self._drift_ppm
        self._clock = (
            None
            if is_engines or self.info.is_of_a_page
            else _OwnClock(
                self.source.channels,
                self._rate_hz,
                self._delivered_hz,
                self._drift_ppm,
                self._block_frames,
            )
        )

    @property
    def has_own_clock(self) -> bool:
        """Whether the device's sound comes at another pace than the engine's."""
        return self._clock is not None or self.info.is_of_a_page

    def read(self, block: Block, at_s: float) -> None:
        """Fill a block of shape (frames, 2); ``at_s`` is the engine's time at its end."""
        if not self.is_plugged:
            block.fill(0.0)
            return
        if self.source.channels == 1:
            if len(self._mono) < len(block):
                self._mono = np.zeros((len(block), 1), np.float32)
            mono = self._mono[: len(block)]
            self.source.read(mono)
            block[:] = mono
        else:
            self.source.read(block)
        self._spoil(block)
        is_delivering = self._stall_frames <= 0
        self._stall_frames = max(0, self._stall_frames - len(block))
        if self._clock:
            own = np.ascontiguousarray(block[:, : self.source.channels])
            self._clock.run(own, at_s, is_delivering)
            block[:] = own
        elif not is_delivering:
            block.fill(0.0)
        raise_peaks(block, self._peaks)

    def steps(self, block: Block, mono: Block) -> list[tuple[Block, Step]] | None:
        """What does the same as ``read``, as long as nothing is wrong with the device and it has no clock of its own;
        None else. ``mono`` is scratch for sources of one channel, both blocks of shape (max_frames, …)."""
        is_spoilt = self._is_silent or self._is_inverted or self._hum_hz or self._dc or self._clip
        is_short = self._stall_frames > 0 or self._nan_samples > 0
        steps = self.source.steps()
        if steps is None or self._clock or not self.is_plugged or is_spoilt or is_short:
            return None
        if self.source.channels == 2:
            return [*((block, step) for step in steps), (block, self._raising)]
        return [*((mono, step) for step in steps), (mono, copying(block)), (block, self._raising)]

    def _spoil(self, block: Block) -> None:
        """Faults of the signal itself."""
        frames = len(block)
        if self._is_silent:
            block.fill(0.0)
        if self._is_inverted:
            block[:, 1] = -block[:, 0]
        if self._hum_hz:
            step = 2.0 * math.pi * self._hum_hz / SAMPLE_RATE_HZ
            phase = self._hum_phase + step * np.arange(frames)
            self._hum_phase = (self._hum_phase + step * frames) % (2.0 * math.pi)
            for number, share in enumerate(HUM_PARTIALS, 1):
                level = db_to_linear(HUM_DBFS) * share
                block += (level * np.sin(number * phase)).astype(np.float32)[:, None]
        if self._dc:
            block += np.float32(self._dc)
        if self._clip:
            np.clip(block, -self._clip, self._clip, out=block)
        if self._nan_samples > 0:
            block[: self._nan_samples] = np.nan
            self._nan_samples -= frames

    @property
    def latency_parts(self) -> list[tuple[str, float]]:
        """Name and ms of what lies between the air and the engine."""
        if not self._clock:
            return [(f"{self.info.label}, one block", frames_to_ms(self._block_frames))]
        air = [("through the air", self.info.air_ms)] if self.info.air_ms else []
        return [
            *air,
            (f"{self.info.label}'s converter", self._clock.converter_ms),
            ("clock follower", self._clock.matcher.target_ms),
        ]

    def status(self) -> DeviceReading:
        """What the user should know of it; the peaks since the last call in dBFS."""
        said = self.source.status()
        peaks = [round(max(SILENCE_DBFS, linear_to_db(peak)), 1) for peak in self._peaks]
        self._peaks.fill(0.0)
        clock: MatcherReading | None = self._clock.matcher.reading() if self._clock else None
        status: DeviceReading = {
            "channels": self.info.channels,
            "rate_hz": round(self._rate_hz),
            "clock_ppm": 0,
            "fill_ms": 0.0,
            "dropouts": self._stalls if not self._clock else 0,
            "overruns": 0,
            "counted_rate_hz": None,
            **said,
            "peaks_dbfs": peaks,
        }
        if clock:
            status = {**status, **clock}
        if not self.is_plugged:
            status["state"] = "unplugged"
        return status
