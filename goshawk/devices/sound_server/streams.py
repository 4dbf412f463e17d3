"""Streams of the system's sound server: opened, looked after and opened again beside the sound.

A stream is bound to the device it was opened on: if that goes, it ends, and waits for the device to come back, rather than
play or listen somewhere else. Nothing here runs in a block of the engine; frames pass by compiled callbacks (``callbacks``)
in the library's own thread.
"""

import contextlib
import ctypes
import math
import time
from ctypes import byref
from dataclasses import dataclass
from typing import Any

from goshawk.core.computer import NO_LIBRARY, OURS, STREAM
from goshawk.core.dsp.frame_ring import FIRST, IS_PRIMED
from goshawk.devices.endpoint import GROWTH, MOST_SERVER_MS, Endpoint
from goshawk.devices.sound_server import libpulse as pa
from goshawk.system.processes import HANDLES, may_open
from goshawk.system.scheduling import realtime
from goshawk.units import SAMPLE_RATE_HZ

TRY_AGAIN_S = 0.5
SMOOTHING = 0.1
STREAM_PRIORITY = 19
MOST_GAINED_MS = 3000.0
"""A stream that lies so much farther from the air than it did has waited for a server that stood still: it is opened anew."""

CHANNELS_BESIDE = 2
"""So many channels a stream has at least."""

_FRAME_BYTES = 4


@dataclass
class _Stream:
    handle: Any
    work: Any
    endpoint: Endpoint
    channels: int
    is_ready: bool = False
    underflow_at: int = -1
    growth: float = 1.0
    least_ms: float = math.inf
    """The least of the endpoint's ``device_ms`` since it was opened."""


class ServerStreams:
    """All streams of one connection. Called by one thread."""

    def __init__(self) -> None:
        self._loop: Any = None
        self._callbacks: Any = None
        self._context: Any = None
        self._streams: dict[int, _Stream] = {}
        self._next_try_s: dict[int, float] = {}
        self._connect_at_s = 0.0
        self.said = ""

    def follow(self, wanted: list[Endpoint]) -> None:
        """Make what is open what is wanted; look how each does."""
        if not wanted and self._loop is None:
            return
        if not self._is_connected():
            for endpoint in wanted:
                endpoint.state, endpoint.said = "waiting", self.said
            return
        there = {id(one) for one in wanted}
        with self._locked():
            for key in [key for key in self._streams if key not in there]:
                self._close(key)
            for endpoint in wanted:
                stream = self._streams.get(id(endpoint))
                if stream is None:
                    self._open(endpoint)
                else:
                    self._look_at(stream)
        self._next_try_s = {key: at for key, at in self._next_try_s.items() if key in there}

    def close(self) -> None:
        """Close everything."""
        self._lose()
        if self._loop is not None:
            lib = pa.library()
            lib.pa_threaded_mainloop_stop(self._loop)
            lib.pa_threaded_mainloop_free(self._loop)
            self._loop = None

    # --- the connection --------------------------------------------------------------------------

    @contextlib.contextmanager
    def _locked(self) -> Any:
        lib = pa.library()
        lib.pa_threaded_mainloop_lock(self._loop)
        try:
            yield
        finally:
            lib.pa_threaded_mainloop_unlock(self._loop)

    def _is_connected(self) -> bool:
        now = time.monotonic()
        if self._context is None:
            if now < self._connect_at_s:
                return False
            self._connect_at_s = now + TRY_AGAIN_S
            return self._connect()
        lib = pa.library()
        with self._locked():
            state = lib.pa_context_get_state(self._context)
        if state in (pa.CONTEXT_FAILED, pa.CONTEXT_TERMINATED):
            self.said = "The sound server is not there. Goshawk goes on when it is."
            self._lose()
            return False
        return bool(state == pa.READY)

    def _connect(self) -> bool:
        if not may_open(HANDLES):
            self.said = "Too many files are open for a link to the sound server."
            return False
        try:
            lib = pa.library()
            from goshawk.devices.sound_server import callbacks

            self._callbacks = callbacks  # Compiled; not loaded before somebody needs it.
        except OSError:
            self.said = NO_LIBRARY
            self._connect_at_s = float("inf")
            return False
        if self._loop is None:
            self._loop = lib.pa_threaded_mainloop_new()
            with realtime(STREAM_PRIORITY):
                lib.pa_threaded_mainloop_start(self._loop)
        with self._locked():
            api = lib.pa_threaded_mainloop_get_api(self._loop)
            self._context = lib.pa_context_new(api, b"Goshawk")
            lib.pa_context_connect(self._context, None, pa.NO_AUTOSPAWN, None)
        return False

    def _lose(self) -> None:
        if self._loop is None:
            return
        lib = pa.library()
        with self._locked():
            for key in list(self._streams):
                self._close(key)
            if self._context is not None:
                lib.pa_context_disconnect(self._context)
                lib.pa_context_unref(self._context)
                self._context = None

    # --- one stream (the library's lock is held) -----------------------------------------------

    def _open(self, endpoint: Endpoint) -> None:
        now = time.monotonic()
        if now < self._next_try_s.get(id(endpoint), 0.0):
            return
        self._next_try_s[id(endpoint)] = now + TRY_AGAIN_S
        lib = pa.library()
        first = int(endpoint.ring.numbers[FIRST])
        channels = max(CHANNELS_BESIDE, first + 2)
        spec = pa.SampleSpec(pa.FLOAT32LE, SAMPLE_RATE_HZ, channels)
        places = pa.channel_map(channels)
        title = b"Goshawk"
        handle = lib.pa_stream_new(self._context, title, byref(spec), byref(places))
        if not handle:
            endpoint.said = self._why()
            return
        endpoint.rate_hz = SAMPLE_RATE_HZ
        work = self._callbacks.Work(endpoint.ring, channels)
        buffer = _buffer(endpoint, channels)
        flags = (
            pa.DONT_MOVE | pa.ADJUST_LATENCY | pa.INTERPOLATE_TIMING | pa.AUTO_TIMING_UPDATE
        )  # fmt: skip
        device, _, stream = endpoint.name.partition(STREAM)
        name = device.encode()
        if stream.isdigit():  # One program's sound, out of all that the device plays.
            lib.pa_stream_set_monitor_stream(handle, int(stream))
        if endpoint.direction == "out":
            lib.pa_stream_set_write_callback(handle, self._callbacks.wants_frames.address, work.at)
            error = lib.pa_stream_connect_playback(handle, name, byref(buffer), flags, None, None)
        else:
            lib.pa_stream_set_read_callback(handle, self._callbacks.has_frames.address, work.at)
            error = lib.pa_stream_connect_record(handle, name, byref(buffer), flags)
        if error:
            endpoint.said = self._why()
            lib.pa_stream_unref(handle)
            return
        self._streams[id(endpoint)] = _Stream(handle, work, endpoint, channels)

    def _look_at(self, stream: _Stream) -> None:
        lib, endpoint = pa.library(), stream.endpoint
        state = lib.pa_stream_get_state(stream.handle)
        if state == pa.STREAM_READY:
            if not stream.is_ready:
                stream.is_ready = True
                endpoint.opened += 1
                given = lib.pa_stream_get_buffer_attr(stream.handle).contents
                is_out = endpoint.direction == "out"
                bytes_ = given.minreq if is_out else given.fragsize
                endpoint.chunk_frames = bytes_ // (_FRAME_BYTES * stream.channels)
            self._look_for_underflow(stream)
            is_suspended = lib.pa_stream_is_suspended(stream.handle) == 1
            endpoint.state = "waiting" if is_suspended else "playing"
            endpoint.said = "The sound server has put the device to sleep." if is_suspended else ""
            now_ms = _latency_ms(stream)
            if now_ms is not None:
                # It falls and rises with every piece.
                share = SMOOTHING if endpoint.device_ms else 1.0
                endpoint.device_ms += (now_ms - endpoint.device_ms) * share
                stream.least_ms = min(stream.least_ms, endpoint.device_ms)
            if endpoint.device_ms > MOST_GAINED_MS + stream.least_ms:
                endpoint.said = "The sound server stood still. The device is opened again."
                self._close(id(endpoint))
        elif state >= pa.STREAM_FAILED:
            endpoint.state, endpoint.said = "waiting", self._why()
            self._close(id(endpoint))

    def _look_for_underflow(self, stream: _Stream) -> None:
        """The system had nothing to play: more is to lie with it from now on."""
        lib, endpoint = pa.library(), stream.endpoint
        if endpoint.direction == "in":
            return
        if endpoint.growth < stream.growth:  # It has been calm for long.
            self._set_buffer(stream)
        at = lib.pa_stream_get_underflow_index(stream.handle)
        if at == stream.underflow_at:
            return
        stream.underflow_at = at
        if time.monotonic() < endpoint.settles_until_s or endpoint.ring.numbers[IS_PRIMED] == 0:
            return  # Nothing had been given to it yet.
        endpoint.underflows += 1
        if endpoint.server_ms < MOST_SERVER_MS:
            endpoint.growth *= GROWTH
            endpoint.grown += 1
            self._set_buffer(stream)

    def _set_buffer(self, stream: _Stream) -> None:
        lib = pa.library()
        stream.growth = stream.endpoint.growth
        wanted = _buffer(stream.endpoint, stream.channels)
        done = lib.pa_stream_set_buffer_attr(stream.handle, byref(wanted), None, None)
        if done:
            lib.pa_operation_unref(done)

    def _close(self, key: int) -> None:
        stream = self._streams.pop(key)
        lib = pa.library()
        lib.pa_stream_set_write_callback(stream.handle, None, None)
        lib.pa_stream_set_read_callback(stream.handle, None, None)
        lib.pa_stream_disconnect(stream.handle)
        lib.pa_stream_unref(stream.handle)
        stream.endpoint.state, stream.endpoint.device_ms = "waiting", 0.0

    def _why(self) -> str:
        lib = pa.library()
        code = lib.pa_context_errno(self._context)
        if code in (0, pa.ERR_NOENTITY, pa.ERR_KILLED):  # Killed: it went with its device.
            return "The device is gone. It goes on when it is back."
        if code == pa.ERR_ACCESS:
            return "The sound server does not allow it."
        said = (lib.pa_strerror(code) or b"").decode(errors="replace")
        return f"The sound server refuses it ({said.lower()})."


def _latency_ms(stream: _Stream) -> float | None:
    """What lies between the ring and the air, as far as the server says; None where it does not."""
    lib, endpoint = pa.library(), stream.endpoint
    latency, is_negative = ctypes.c_int64(), ctypes.c_int()
    if lib.pa_stream_get_latency(stream.handle, byref(latency), byref(is_negative)):
        return None
    found_ms = 0.0 if is_negative.value else latency.value / 1000.0
    # It is the mean over the time between two pieces; the ring counts from when one was taken, or came.
    half_piece_ms = endpoint.chunk_frames / endpoint.rate_hz * 500.0
    if endpoint.direction == "in":
        return max(0.0, found_ms - half_piece_ms)
    if endpoint.name.startswith(OURS) and (timing := lib.pa_stream_get_timing_info(stream.handle)):
        # Who listens at a virtual device hears all of a piece when it begins to play; on average half of it is still to be played.
        found_ms -= 2.0 * timing.contents.sink_usec / 1000.0
    return max(0.0, found_ms + half_piece_ms)


def _buffer(endpoint: Endpoint, channels: int) -> pa.BufferAttributes:
    """What is asked of the server: how much lies with it, and in what pieces it asks or gives."""

    def in_bytes(ms: float) -> int:
        return round(ms / 1000.0 * SAMPLE_RATE_HZ) * _FRAME_BYTES * channels

    chunk = in_bytes(endpoint.chunk_ms)
    if endpoint.direction == "in":
        return pa.BufferAttributes(pa.DEFAULT, pa.DEFAULT, pa.DEFAULT, pa.DEFAULT, chunk)
    return pa.BufferAttributes(pa.DEFAULT, in_bytes(endpoint.server_ms), 0, chunk, pa.DEFAULT)
