"""Devices, as pages ask for them: the levels of all, a click through, and faults of the stand-ins. What the sound server has made is told
to the engine here."""

from goshawk.bus import Bus
from goshawk.core.computer import programs_heard
from goshawk.devices.catalog import checked_fault
from goshawk.engine.client import EngineClient
from goshawk.web.events import ComputerChanged
from goshawk.web.observer_document import ObserverDocument
from goshawk.web.sound_desk import SoundDesk

MOST_WATCHED = 8
"""So many of the computer's devices run to show their levels."""


class DeviceControl:
    """Gives the engine what it has to know of the computer."""

    def __init__(
        self, engine: EngineClient, sound: SoundDesk, document: ObserverDocument, bus: Bus
    ) -> None:
        self._engine, self._sound, self._document = engine, sound, document
        self._is_watching = False
        bus.subscribe(ComputerChanged, self._follow)

    def watch(self, is_on: bool) -> None:
        """Whether the levels of all devices are looked at."""
        if is_on != self._is_watching:
            self._is_watching = is_on
            self._engine.watch_devices(is_on)
            self._sound.watch(is_on)
            self._give()

    def _follow(self, _: ComputerChanged) -> None:
        self._give()

    def _give(self) -> None:
        computer = self._sound.computer
        comes_in = [one for one in computer.devices if one.direction == "in"]
        watched = [one.id for one in sorted(comes_in, key=lambda one: one.is_monitor)]
        self._engine.know_computer(
            {
                **{one.key: one.device for one in computer.virtual if one.is_linked},
                **programs_heard(computer),
            },
            watched[:MOST_WATCHED] if self._is_watching else [],
            self._sound.cards_round,
        )

    def measure_delay(self) -> None:
        """Send a click through."""
        self._document.note_click()
        self._engine.click()

    def fault(self, device: str, fault: str, value: float | None) -> None:
        """Make something go wrong with a stand-in. Raises NotFound or BadInput."""
        figure = checked_fault(device, fault, value)
        self._document.note_fault()
        self._engine.fault(device, fault, figure)
