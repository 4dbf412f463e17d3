"""What can be told and set at the system's sound server (the PulseAudio protocol, which PipeWire speaks too), by ``pulsectl``:
its devices, the programs that play and record, and the virtual devices that Goshawk makes.

A virtual microphone is a null sink that a feed plays into, and a source that takes its monitor, since browsers hide monitors.
Virtual loudspeakers are a null sink alone. All carry who made them, so that what a killed one has left is known. They are taken
away source before sink: a source that has lost its sink could be given another one, a real microphone perhaps.

What a virtual microphone really takes is asked of the server: the module that makes it has one recording stream, and both servers
say which source that stream is linked to (PipeWire from the links themselves, also where the session manager chose another).
On PipeWire a sink's monitor carries its sink's properties, tags included, and is not meant where sources are looked for by tag.
"""

import contextlib
import os
from collections.abc import Iterator, Mapping
from typing import Any, Literal

from goshawk.core.computer import (
    MICROPHONE,
    NO_LIBRARY,
    OURS,
    Computer,
    ComputerDevice,
    Program,
    VirtualDevice,
)
from goshawk.core.settings import visible
from goshawk.devices.endpoint import PAIR, SERVER
from goshawk.errors import NoSoundServer, SoundServerRefused
from goshawk.system.processes import HANDLES, is_alive, may_open

try:
    import pulsectl
except OSError:
    # It loads the library at once, and there is none on this computer: ``SoundServer`` says so.
    pulsectl = None

OWNER = "goshawk.owner"
KEY = "goshawk.key"
_OUR_NAME = "Goshawk"
HOST = "Sound server"
NORMAL_VOLUME = 1.0
MOST_LISTED = 128
"""Of inputs, of outputs, and of programs: microphones before what other devices play."""

TIMEOUT_S = 2.0
_MONITOR = ".monitor"
_NONE = 0xFFFFFFFF
"""How the protocol says that there is none."""


@contextlib.contextmanager
def _understood() -> Iterator[None]:
    try:
        yield
    except pulsectl.PulseDisconnected:
        raise NoSoundServer("The sound server has gone. Goshawk goes on when it is back.") from None
    except pulsectl.PulseError as error:
        raise SoundServerRefused(f"The sound server refuses it ({error}).") from None


class SoundServer:
    """One connection. Calls take milliseconds, and wait: never made where sound passes. Not for several threads at once."""

    def __init__(self) -> None:
        """Raises NoSoundServer."""
        if pulsectl is None:
            raise NoSoundServer(NO_LIBRARY)
        if not may_open(HANDLES):
            raise NoSoundServer(
                "Too many files are open for another link to the sound server. Close pages of Goshawk."
            )
        self._pulse = pulsectl.Pulse("Goshawk control", connect=False)
        try:
            self._pulse.connect(autospawn=False, timeout=TIMEOUT_S)
        except (pulsectl.PulseError, OSError):
            self.close()  # Its main loop would stay open, with its files.
            raise NoSoundServer(
                "There is no sound server on this computer, or it does not answer."
            ) from None
        self._owner = str(os.getpid())

    def close(self) -> None:
        """End the connection; what was made stays."""
        with contextlib.suppress(pulsectl.PulseError):
            self._pulse.close()

    # --- what there is ---------------------------------------------------------------------------

    def state(self) -> Computer:
        """Everything, as it is now. Raises NoSoundServer or SoundServerRefused."""
        with _understood():
            info = self._pulse.server_info()
            sinks, sources = self._pulse.sink_list(), self._pulse.source_list()
            playing = self._pulse.sink_input_list()
            recording = self._pulse.source_output_list()
            clients = {one.index: one.proplist for one in self._pulse.client_list()}
        own_sinks = {one.index: key for one in sinks if (key := self._key_of(one))}
        own_sources = {
            one.index: key for one in _not_monitors(sources) if (key := self._key_of(one))
        }
        monitors = {one.monitor_source: one for one in sinks}
        inputs: list[ComputerDevice] = []
        outputs: list[ComputerDevice] = []
        for one in sources:
            watched = monitors.get(one.index)
            if KEY not in one.proplist and not (watched and KEY in watched.proplist):
                is_default = one.name == info.default_source_name
                inputs += _pairs(one, "in", is_default, watched is not None)
        for one in sinks:
            if KEY not in one.proplist:
                outputs += _pairs(one, "out", one.name == info.default_sink_name, False)
        inputs.sort(key=lambda one: one.is_monitor)
        programs = [
            *(self._program(one, True, one.sink, own_sinks, sinks, clients) for one in playing),
            *(
                self._program(one, False, one.source, own_sources, sources, clients)
                for one in recording
            ),
        ]
        return Computer(
            server=str(info.server_name),
            devices=(*inputs[:MOST_LISTED], *outputs[:MOST_LISTED]),
            programs=tuple(one for one in programs if one)[:MOST_LISTED],
            virtual=tuple(self._virtual(sinks, sources, recording)),
        )

    def _key_of(self, one: Any) -> str:
        return str(one.proplist.get(KEY, "")) if self._is_ours(one) else ""

    def _is_ours(self, one: Any) -> bool:
        return bool(one.proplist.get(OWNER) == self._owner)

    def _program(
        self,
        stream: Any,
        plays: bool,
        device: int,
        own: Mapping[int, str],
        devices: list[Any],
        clients: Mapping[int, Any],
    ) -> Program | None:
        """None for what is no program: our own streams, and what the server itself connects."""
        properties = {**clients.get(stream.client, {}), **stream.proplist}
        name = properties.get("application.name") or properties.get("application.process.binary")
        is_ours = str(properties.get("application.name", "")).startswith(_OUR_NAME)
        if not name or is_ours or stream.client in (None, _NONE):
            return None
        its = next((one for one in devices if one.index == device), None)
        volume = getattr(stream, "volume", None)
        return Program(
            id=int(stream.index),
            name=_plain(str(name)),
            plays=plays,
            device=_plain(str(its.description)) if its else "",
            device_name=str(its.name) if its else "",
            key=own.get(device, ""),
            volume=round(float(volume.value_flat), 3) if volume else NORMAL_VOLUME,
            is_muted=bool(stream.mute),
        )

    def _virtual(
        self, sinks: list[Any], sources: list[Any], recording: list[Any]
    ) -> Iterator[VirtualDevice]:
        own_sinks = {key: one for one in sinks if (key := self._key_of(one))}
        microphones = {key: one for one in _not_monitors(sources) if (key := self._key_of(one))}
        for key in own_sinks | microphones:
            sink, microphone = own_sinks.get(key), microphones.get(key)
            parts = [one for one in (sink, microphone) if one is not None]
            is_microphone = key.startswith(MICROPHONE)
            device = ""
            if sink is not None:
                device = f"{SERVER}:{sink.name if is_microphone else sink.name + _MONITOR}"
            taken = _taken_by(microphone, recording)
            is_linked = sink is not None and taken == sink.monitor_source
            yield VirtualDevice(
                key=key,
                device=device,
                name=str(parts[-1].name),
                label=str(parts[-1].description),
                volume=min(round(float(one.volume.value_flat), 3) for one in parts),
                is_muted=any(bool(one.mute) for one in parts),
                is_linked=is_linked or not is_microphone,
                is_astray=microphone is not None
                and not is_linked
                and (taken is not None or sink is None),
            )

    # --- virtual devices -------------------------------------------------------------------------

    def make(self, key: str, title: str) -> None:
        """Make a virtual device for a key: a microphone or loudspeakers, called ``title``. Raises NoSoundServer or
        SoundServerRefused."""
        is_microphone = key.startswith(MICROPHONE)
        name = self._free_name(OURS + "".join(c if c.isalnum() else "_" for c in key))
        tags = f"{OWNER}={self._owner} {KEY}={key}"
        described = _quoted(f"{title} (mix)" if is_microphone else title)
        sink = (
            f"sink_name={name} format=float32le rate=48000 channels=2 "
            f"sink_properties='device.description=\"{described}\" {tags}'"
        )
        with _understood():
            try:
                made = self._pulse.module_load("module-null-sink", f"{sink} norewinds=1")
            except pulsectl.PulseError:  # Servers before version 15 do not know that argument.
                made = self._pulse.module_load("module-null-sink", sink)
            if not is_microphone:
                return
            try:
                self._pulse.module_load(
                    "module-remap-source",
                    f"source_name={name}_mic master={name}{_MONITOR} "
                    f"source_properties='device.description=\"{_quoted(title)}\" {tags}'",
                )
            except pulsectl.PulseError:
                self._pulse.module_unload(made)
                raise

    def _free_name(self, name: str) -> str:
        with _understood():
            used = {one.name for one in self._pulse.sink_list()}
        if name not in used:
            return name
        return next(f"{name}_{n}" for n in range(2, 100) if f"{name}_{n}" not in used)

    def remove(self, key: str) -> None:
        """Take a virtual device away. Raises NoSoundServer or SoundServerRefused."""
        with _understood():
            self._unload(lambda one: self._key_of(one) == key)

    def remove_all(self) -> None:
        """Take away all that we have made. Raises NoSoundServer or SoundServerRefused."""
        with _understood():
            self._unload(self._is_ours)

    def sweep(self) -> int:
        """Take away what others have left that are not there any more; how many devices. Raises NoSoundServer or
        SoundServerRefused."""

        def is_left(one: Any) -> bool:
            owner = str(one.proplist.get(OWNER, ""))
            return owner.isdigit() and owner != self._owner and not is_alive(int(owner))

        with _understood():
            return self._unload(is_left)

    def _unload(self, is_meant: Any) -> int:
        count = 0
        # The source first. A monitor's module is its sink's.
        for listed in (lambda: _not_monitors(self._pulse.source_list()), self._pulse.sink_list):
            for one in listed():
                if is_meant(one) and one.owner_module not in (None, _NONE):
                    with contextlib.suppress(
                        pulsectl.PulseIndexError, pulsectl.PulseOperationFailed
                    ):
                        self._pulse.module_unload(one.owner_module)
                        count += 1
        return count

    def relink(self, key: str) -> None:
        """Shut a virtual microphone that takes another source's sound, and lead it back to its own sink. It stays muted: set it to
        unity once it is linked. Raises NoSoundServer or SoundServerRefused."""
        with _understood():
            sources = _not_monitors(self._pulse.source_list())
            source = next((one for one in sources if self._key_of(one) == key), None)
            sink = next((one for one in self._pulse.sink_list() if self._key_of(one) == key), None)
            if source is None:
                return
            self._pulse.mute(source, True)
            for stream in self._pulse.source_output_list():
                if sink is not None and stream.owner_module == source.owner_module:
                    self._pulse.source_output_move(stream.index, sink.monitor_source)

    def set_unity(self, key: str) -> None:
        """Let a virtual device pass sound as it is: neither muted nor turned down. Raises NoSoundServer or
        SoundServerRefused."""
        with _understood():
            for listed in (self._pulse.source_list(), self._pulse.sink_list()):
                for one in listed:
                    if self._key_of(one) == key:
                        self._pulse.mute(one, False)
                        self._pulse.volume_set_all_chans(one, NORMAL_VOLUME)

    # --- programs --------------------------------------------------------------------------------

    def move(self, program_id: int, name: str, *, plays: bool) -> str:
        """Let a program play into, or record from, a device by its name at the server; returns the name of the one that it
        had. Raises NoSoundServer, or SoundServerRefused: either may be gone."""
        with _understood():
            streams = self._pulse.sink_input_list() if plays else self._pulse.source_output_list()
            devices = self._pulse.sink_list() if plays else self._pulse.source_list()
            stream = next((one for one in streams if one.index == program_id), None)
            device = next((one for one in devices if one.name == name), None)
            if stream is None:
                raise SoundServerRefused(
                    "The program makes no sound any more. Start it again first."
                )
            if device is None:
                raise SoundServerRefused("The device is gone. Choose another.")
            had = stream.sink if plays else stream.source
            if plays:
                self._pulse.sink_input_move(program_id, device.index)
            else:
                self._pulse.source_output_move(program_id, device.index)
            return next((str(one.name) for one in devices if one.index == had), "")

    def default_name(self, *, plays: bool) -> str:
        """The device that programs use if nothing else was chosen. Raises NoSoundServer or SoundServerRefused."""
        with _understood():
            info = self._pulse.server_info()
            return str(info.default_sink_name if plays else info.default_source_name)

    def wait_for_event(self, seconds: float) -> bool:
        """Wait until something comes, goes or changes, at most so long; True if it did. Raises NoSoundServer."""
        found = False

        def note(event: Any) -> None:
            nonlocal found
            found = True
            raise pulsectl.PulseLoopStop

        with _understood():
            self._pulse.event_mask_set("sink", "source", "sink_input", "source_output", "server")
            self._pulse.event_callback_set(note)
            self._pulse.event_listen(timeout=seconds)
            self._pulse.event_callback_set(None)
        return found


def _not_monitors(sources: list[Any]) -> list[Any]:
    return [one for one in sources if one.monitor_of_sink in (None, _NONE)]


def _taken_by(microphone: Any | None, recording: list[Any]) -> int | None:
    """The number of the source whose sound a virtual microphone takes; None if it takes none."""
    if microphone is None or microphone.owner_module in (None, _NONE):
        return None
    streams = (one for one in recording if one.owner_module == microphone.owner_module)
    taken = next((int(one.source) for one in streams if one.source is not None), _NONE)
    return None if taken == _NONE else taken


def _pairs(
    one: Any, direction: Literal["in", "out"], is_default: bool, is_monitor: bool
) -> Iterator[ComputerDevice]:
    """A device of many channels, pair by pair."""
    channels = int(one.channel_count)
    for first in range(1, max(2, channels), 2):
        label = _plain(str(one.description))
        name = f"{SERVER}:{one.name}"
        if channels > 2:
            last = min(first + 1, channels)
            label += f", channels {first}–{last}" if last > first else f", channel {first}"
            name += f"{PAIR}{first}"
        yield ComputerDevice(
            id=name,
            label=label,
            direction=direction,
            host=HOST,
            channels=min(2, channels),
            is_default=is_default and first == 1,
            is_virtual=one.proplist.get("device.class") != "sound" and not is_monitor,
            is_monitor=is_monitor,
        )


def _plain(text: str) -> str:
    """A name as others gave it, without what cannot be seen in one."""
    return visible(text)[:80]


def _quoted(text: str) -> str:
    """For a property within a module's arguments."""
    return "".join(" " if c in "\"'\\" else c for c in text)
