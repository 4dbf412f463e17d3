"""Streams of the sound server, with a library that does as it is told; with a real server: tests/server/test_sound_server.py."""

import itertools
import resource
from types import SimpleNamespace
from typing import Any

import psutil
import pytest

from goshawk.devices.endpoint import Endpoint
from goshawk.devices.sound_server import libpulse as pa
from goshawk.devices.sound_server import streams as module
from goshawk.devices.sound_server.control import SoundServer
from goshawk.devices.sound_server.streams import MOST_GAINED_MS, ServerStreams
from goshawk.errors import NoSoundServer


class Library:
    """All goes well; how far streams lie from the air is told."""

    def __init__(self) -> None:
        self.latency_ms = 70.0
        self.opened = 0

    def __getattr__(self, name: str) -> Any:
        return lambda *given: 0

    def pa_threaded_mainloop_new(self) -> int:
        return 1

    def pa_context_new(self, *given: Any) -> int:
        return 1

    def pa_context_get_state(self, context: int) -> int:
        return pa.READY

    def pa_stream_new(self, *given: Any) -> int:
        self.opened += 1
        self.latency_ms = 70.0
        return self.opened

    def pa_stream_get_state(self, stream: int) -> int:
        return pa.STREAM_READY

    def pa_stream_get_buffer_attr(self, stream: int) -> Any:
        return SimpleNamespace(contents=SimpleNamespace(minreq=960, fragsize=960))

    def pa_stream_get_latency(self, stream: int, latency: Any, is_negative: Any) -> int:
        latency._obj.value = round(1000.0 * self.latency_ms)
        return 0

    def pa_stream_get_timing_info(self, stream: int) -> Any:
        return SimpleNamespace(contents=SimpleNamespace(sink_usec=2000))


@pytest.mark.parametrize(
    ("direction", "device", "device_ms"),
    [
        ("in", "monitor", 70.0 - 1.25),  # half of a piece of 120 frames
        ("out", "desk", 70.0 + 1.25),
        ("out", "goshawk_microphone_viewers", 70.0 + 1.25 - 2 * 2.0),
    ],
)
def test_a_stream_that_a_stalled_server_left_far_behind_is_opened_anew(
    direction: Any, device: str, device_ms: float, monkeypatch: pytest.MonkeyPatch
) -> None:
    library, seconds = Library(), itertools.count()
    monkeypatch.setattr(pa, "library", lambda: library)
    monkeypatch.setattr(module, "time", SimpleNamespace(monotonic=lambda: float(next(seconds))))
    streams, endpoint = ServerStreams(), Endpoint.of(direction, f"server:{device}", 256, 50.0)
    for _ in range(10):
        streams.follow([endpoint])
    assert (endpoint.state, library.opened) == ("playing", 1)
    assert endpoint.device_ms == pytest.approx(device_ms)
    library.latency_ms = 0.8 * MOST_GAINED_MS  # long, but a device may need it
    for _ in range(100):
        streams.follow([endpoint])
    assert (endpoint.state, library.opened) == ("playing", 1)
    library.latency_ms = 70.0 + 1.5 * MOST_GAINED_MS
    said = []
    for _ in range(100):
        streams.follow([endpoint])
        said.append(endpoint.said)
    assert "The sound server stood still. The device is opened again." in said
    assert (endpoint.state, endpoint.said, library.opened) == ("playing", "", 2)
    assert endpoint.device_ms == pytest.approx(device_ms)
    streams.close()


def test_a_server_that_is_not_there_is_looked_for_again_and_again_at_no_cost() -> None:
    """Each try left three files open: after minutes there were none left, and libpulse ended the whole program."""
    process = psutil.Process()
    open_files = []
    for _ in range(20):
        with pytest.raises(NoSoundServer, match="no sound server on this computer"):
            SoundServer()
        open_files.append(process.num_fds())
    assert open_files[-1] == open_files[0]


def test_where_no_file_may_be_opened_the_library_is_not_asked(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """It ends the process then."""
    monkeypatch.setattr(module, "time", SimpleNamespace(monotonic=lambda: 1e9))
    endpoint = Endpoint.of("out", "server:desk", 256, 50.0)
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    try:
        resource.setrlimit(resource.RLIMIT_NOFILE, (3, hard))
        with pytest.raises(NoSoundServer, match="Too many files"):
            SoundServer()
        ServerStreams().follow([endpoint])
    finally:
        resource.setrlimit(resource.RLIMIT_NOFILE, (soft, hard))
    assert "Too many files" in endpoint.said
