"""The few functions of libpulse (the PulseAudio protocol, which PipeWire speaks too) that streams need, by ctypes.

``pulsectl`` does everything that is control. Streams are ours because none of the kept libraries lets one refuse to be moved:
without that, a feed would come out of the loudspeakers when its device goes.
Declared after https://freedesktop.org/software/pulseaudio/doxygen/, version 16.
"""

import ctypes
from ctypes import (
    POINTER,
    Structure,
    byref,
    c_char_p,
    c_int,
    c_int64,
    c_long,
    c_uint8,
    c_uint32,
    c_uint64,
    c_void_p,
)
from functools import cache

FLOAT32LE = 5
READY = 4
STREAM_READY, STREAM_FAILED = 2, 3
CONTEXT_FAILED, CONTEXT_TERMINATED = 5, 6
ERR_ACCESS, ERR_NOENTITY, ERR_KILLED = 1, 5, 12
NO_AUTOSPAWN = 1
INTERPOLATE_TIMING, AUTO_TIMING_UPDATE = 0x2, 0x8
DONT_MOVE, ADJUST_LATENCY = 0x200, 0x2000
DEFAULT = 0xFFFFFFFF


class SampleSpec(Structure):
    _fields_ = (("format", c_int), ("rate", c_uint32), ("channels", c_uint8))


class BufferAttributes(Structure):
    _fields_ = (
        ("maxlength", c_uint32),
        ("tlength", c_uint32),
        ("prebuf", c_uint32),
        ("minreq", c_uint32),
        ("fragsize", c_uint32),
    )


class TimingInfo(Structure):
    """Its first fields."""

    _fields_ = (
        ("seconds", c_long),
        ("microseconds", c_long),
        ("synchronized_clocks", c_int),
        ("sink_usec", c_uint64),
    )


class ChannelMap(Structure):
    _fields_ = (("channels", c_uint8), ("map", c_int * 32))


_P, _S, _I, _U = c_void_p, c_char_p, c_int, c_uint32
_FUNCTIONS = {
    "pa_threaded_mainloop_new": (_P, ()),
    "pa_threaded_mainloop_free": (None, (_P,)),
    "pa_threaded_mainloop_start": (_I, (_P,)),
    "pa_threaded_mainloop_stop": (None, (_P,)),
    "pa_threaded_mainloop_lock": (None, (_P,)),
    "pa_threaded_mainloop_unlock": (None, (_P,)),
    "pa_threaded_mainloop_get_api": (_P, (_P,)),
    "pa_context_new": (_P, (_P, _S)),
    "pa_context_connect": (_I, (_P, _S, _I, _P)),
    "pa_context_disconnect": (None, (_P,)),
    "pa_context_get_state": (_I, (_P,)),
    "pa_context_errno": (_I, (_P,)),
    "pa_context_unref": (None, (_P,)),
    "pa_strerror": (_S, (_I,)),
    "pa_stream_new": (_P, (_P, _S, POINTER(SampleSpec), POINTER(ChannelMap))),
    "pa_stream_unref": (None, (_P,)),
    "pa_stream_set_write_callback": (None, (_P, _P, _P)),
    "pa_stream_set_read_callback": (None, (_P, _P, _P)),
    "pa_stream_connect_playback": (_I, (_P, _S, POINTER(BufferAttributes), _I, _P, _P)),
    "pa_stream_connect_record": (_I, (_P, _S, POINTER(BufferAttributes), _I)),
    "pa_stream_set_monitor_stream": (_I, (_P, _U)),
    "pa_stream_disconnect": (_I, (_P,)),
    "pa_stream_get_state": (_I, (_P,)),
    "pa_stream_get_latency": (_I, (_P, POINTER(c_int64), POINTER(c_int))),
    "pa_stream_get_timing_info": (POINTER(TimingInfo), (_P,)),
    "pa_stream_get_underflow_index": (c_int64, (_P,)),
    "pa_stream_set_buffer_attr": (_P, (_P, POINTER(BufferAttributes), _P, _P)),
    "pa_operation_unref": (None, (_P,)),
    "pa_stream_is_suspended": (_I, (_P,)),
    "pa_stream_get_buffer_attr": (POINTER(BufferAttributes), (_P,)),
    "pa_channel_map_init_extend": (_P, (POINTER(ChannelMap), _U, _I)),
}  # fmt: skip


@cache
def library() -> ctypes.CDLL:
    """Raises OSError where there is no libpulse."""
    found = ctypes.CDLL("libpulse.so.0")
    for name, (result, arguments) in _FUNCTIONS.items():
        function = getattr(found, name)
        function.restype, function.argtypes = result, arguments
    return found


def channel_map(channels: int) -> ChannelMap:
    """The usual places of so many channels."""
    made = ChannelMap()
    library().pa_channel_map_init_extend(byref(made), channels, 0)
    return made
