"""The computer's sound server and cards: what there is, the virtual devices that the rig needs, the programs whose sound is
taken. All talk with the server is in one thread of its own; the engine is told by the plan what was made.
"""

import asyncio
import contextlib
import logging
import queue
import sys
import threading
import time
from collections.abc import Callable
from concurrent.futures import Future
from typing import Any

import msgspec

from goshawk.bus import Bus
from goshawk.core.computer import Computer, Program, VirtualDevice, microphone_key, wanted_virtual
from goshawk.core.rig import Rig
from goshawk.core.routing import LOUDSPEAKERS
from goshawk.devices.cards import Card, Cards, as_devices
from goshawk.devices.sound_server.control import SoundServer
from goshawk.errors import GoshawkError, NoSoundServer, SoundServerRefused
from goshawk.system.ending import kill
from goshawk.web.events import ComputerChanged, RigHeard

log = logging.getLogger(__name__)

TRY_AGAIN_S = 1.0
LOOK_S = 0.2
LOOK_ANYWAY_S = 5.0
CARDS_EVERY_S = 5.0
CARDS_PATIENCE_S = 20.0
STOP_S = 2.0
LINKS_WITHIN_S = 3.0
"""A virtual microphone that takes nothing for so long is made again, and then after twice that time, and so on: whoever records
from it is given another source by some servers meanwhile, a raw microphone perhaps."""

LONGEST_WAIT_S = 60.0

Work = Callable[[SoundServer, Computer], Any]


class SoundDesk:
    """Says in the event loop what there is now, whenever that is another."""

    def __init__(self, bus: Bus) -> None:
        self._bus = bus
        bus.subscribe(RigHeard, self._follow_rig)
        self.computer = Computer()
        self.cards_round = 0
        self._server_part = Computer()
        self._cards: list[Card] = []
        self._cards_trouble = ""
        self._wanted: dict[str, str] = {}
        self._takes: dict[str, str] = {}
        self._had: dict[tuple[bool, int], tuple[str, str]] = {}
        """Programs that were led elsewhere, by whether they play and their number (of both kinds there may be one with the same):
        what each had, and for whom it was taken."""
        self._remakes: dict[str, tuple[float, float]] = {}
        """By the key of a virtual microphone that is not linked: when it is made again, and how long is waited then."""
        self._unmoved: set[int] = set()
        """Programs that could not be led into a virtual device: said once."""
        self._shut: set[str] = set()
        """Virtual microphones that were muted here, since they took another source's sound."""
        self._asked: queue.SimpleQueue[tuple[Work, Future[Any]]] = queue.SimpleQueue()
        self._is_ended = threading.Event()
        self._is_changed = threading.Event()
        self._watched = asyncio.Event()
        self._loop: asyncio.AbstractEventLoop | None = None
        self._thread: threading.Thread | None = None

    def start(self) -> None:
        """Begin to look at the sound server."""
        self._loop = asyncio.get_running_loop()
        self._thread = threading.Thread(target=self._run, name="sound server", daemon=True)
        self._thread.start()

    async def stop(self) -> None:
        """Give back every program that was taken, and take away all that was made."""
        self._is_ended.set()
        self._is_changed.set()
        if self._thread:
            await asyncio.to_thread(self._thread.join, STOP_S)

    def _follow_rig(self, said: RigHeard) -> None:
        self.want(said.rig)

    def want(self, rig: Rig) -> None:
        """From now on the virtual devices of this rig are there, and its programs are taken."""
        wanted = wanted_virtual(rig)
        takes = {
            one.takes: one.device
            for one in rig.inputs
            if one.takes and one.device.startswith(LOUDSPEAKERS)
        }
        if (wanted, takes) != (self._wanted, self._takes):
            self._wanted, self._takes = wanted, takes
            self._is_changed.set()

    def watch(self, is_on: bool) -> None:
        """Whether a page shows the devices: cards are listed again and again meanwhile."""
        (self._watched.set if is_on else self._watched.clear)()

    async def hand_microphone(self, program_id: int, source: str) -> None:
        """Let a program that records have the virtual microphone of a source; again: give it back what it had. Raises
        NoSoundServer or SoundServerRefused."""
        key = microphone_key(source)

        def work(server: SoundServer, computer: Computer) -> None:
            program = _program(computer, program_id, plays=False)
            if program.key == key:
                before = self._had.pop((False, program_id), ("", ""))[0]
                server.move(program_id, before or server.default_name(plays=False), plays=False)
                return
            made = next((one for one in computer.virtual if one.key == key), None)
            if made is None or not made.is_linked:
                raise SoundServerRefused("Its virtual microphone is not there yet. Try again.")
            had = server.move(program_id, made.name, plays=False)
            self._had[False, program_id] = had, ""

        await self._ask(work)

    async def set_unity(self, key: str) -> None:
        """Let a virtual device pass sound as it is. Raises NoSoundServer or SoundServerRefused."""
        await self._ask(lambda server, _: server.set_unity(key))

    async def _ask(self, work: Work) -> Any:
        done: Future[Any] = Future()
        if not self._server_part.server:
            raise NoSoundServer(self._server_part.server_trouble or "There is no sound server.")
        self._asked.put((work, done))
        self._is_changed.set()
        return await asyncio.wrap_future(done)

    # --- cards -----------------------------------------------------------------------------------

    async def follow_cards(self) -> None:
        """List the cards while somebody looks, each time in a process of its own; for the supervisor."""
        while True:
            await self._watched.wait()
            found = await _listed_cards()
            if (found.cards, found.trouble) != (self._cards, self._cards_trouble):
                self._cards, self._cards_trouble = found.cards, found.trouble
                self.cards_round += 1
                self._tell()
            await asyncio.sleep(CARDS_EVERY_S)

    def _tell(self) -> None:
        there = self._server_part
        self.computer = there.model_copy(
            update={
                "devices": (
                    *there.devices,
                    *as_devices(self._cards, has_server=bool(there.server)),
                ),
                "cards_trouble": self._cards_trouble,
            }
        )
        self._bus.publish(ComputerChanged(self.computer))

    # --- the thread ------------------------------------------------------------------------------

    def _run(self) -> None:
        server: SoundServer | None = None
        while not self._is_ended.is_set():
            try:
                if server is None:
                    server = SoundServer()
                    server.sweep()
                    for kept in (self._had, self._remakes, self._shut):
                        kept.clear()
                self._look(server)
                looked_s = time.monotonic()
                while not self._is_ended.is_set() and not self._is_changed.is_set():
                    is_new = server.wait_for_event(LOOK_S)
                    if is_new or time.monotonic() - looked_s > LOOK_ANYWAY_S:
                        break
                self._is_changed.clear()
            except NoSoundServer as error:
                if server is not None:
                    server.close()
                    server = None
                self._said(Computer(server_trouble=str(error)))
                self._refuse(error)
                self._is_changed.wait(TRY_AGAIN_S)
                self._is_changed.clear()
            except Exception as error:
                if not isinstance(error, SoundServerRefused):
                    log.exception("the sound server could not be followed")
                self._is_changed.wait(TRY_AGAIN_S)
                self._is_changed.clear()
        if server is not None:
            with contextlib.suppress(GoshawkError):
                self._give_back(server, server.state(), everything=True)
                server.remove_all()
            server.close()

    def _look(self, server: SoundServer) -> None:
        state = server.state()
        while not self._asked.empty():
            work, done = self._asked.get()
            try:
                done.set_result(work(server, state))
            except Exception as error:  # Whoever asked must not wait for ever.
                done.set_exception(error)
            state = server.state()
        wanted, takes = self._wanted, self._takes
        has_changed = self._give_back(server, state, everything=False)
        there = {one.key: one for one in state.virtual}
        for key, made in there.items():
            if key not in wanted or not made.device or self._is_to_be_made_again(made):
                server.remove(key)
                has_changed = True
            elif made.is_astray or key in self._shut:
                self._bring_back(server, made)
                has_changed = True
        if has_changed:
            there = {one.key: one for one in server.state().virtual}
        for key, title in wanted.items():
            if key not in there:
                server.make(key, title)
                has_changed = True
        if has_changed:
            state = server.state()
        names = {one.key: one.name for one in state.virtual}
        self._unmoved &= {one.id for one in state.programs}
        for one in state.programs:
            key = takes.get(one.name, "")
            if one.plays and key in names and one.key != key:
                try:
                    before = server.move(one.id, names[key], plays=True)
                except SoundServerRefused as error:
                    if one.id not in self._unmoved:
                        log.warning("%s was not routed to %s: %s", one.name, key, error)
                    self._unmoved.add(one.id)
                    continue
                had = self._had.get((True, one.id))
                self._had[True, one.id] = (had[0] if had else before), key
                has_changed = True
        self._said(server.state() if has_changed else state)

    def _is_to_be_made_again(self, one: VirtualDevice) -> bool:
        """Whether a virtual microphone has not been linked for long enough; what is, is forgotten here."""
        if one.is_linked:
            self._remakes.pop(one.key, None)
            return False
        now_s = time.monotonic()
        due_s, wait_s = self._remakes.setdefault(one.key, (now_s + LINKS_WITHIN_S, LINKS_WITHIN_S))
        if now_s < due_s:
            return False
        wait_s = min(2.0 * wait_s, LONGEST_WAIT_S)
        self._remakes[one.key] = (now_s + wait_s, wait_s)
        return True

    def _bring_back(self, server: SoundServer, one: VirtualDevice) -> None:
        """A virtual microphone that takes another source's sound is silent until it takes its own again."""
        if one.is_linked:
            server.set_unity(one.key)
            self._shut.discard(one.key)
            return
        self._shut.add(one.key)
        with contextlib.suppress(SoundServerRefused):  # It is made again, if it cannot be led back.
            server.relink(one.key)

    def _give_back(self, server: SoundServer, state: Computer, *, everything: bool) -> bool:
        """Programs that are not to be taken any more play, or record, where they did before."""
        programs = {(one.plays, one.id): one for one in state.programs}
        self._had = {name: had for name, had in self._had.items() if name in programs}
        has_changed = False
        for name, (before, key) in list(self._had.items()):
            one = programs[name]
            is_wanted = self._takes.get(one.name) == key if one.plays else one.key in self._wanted
            if is_wanted and not everything:
                continue
            del self._had[name]
            if one.key:
                has_changed = True
                try:
                    server.move(one.id, before, plays=one.plays)
                except SoundServerRefused:  # What it had is gone.
                    with contextlib.suppress(SoundServerRefused):
                        server.move(one.id, server.default_name(plays=one.plays), plays=one.plays)
        return has_changed

    def _said(self, state: Computer) -> None:
        if state == self._server_part or self._loop is None:
            return
        self._server_part = state
        with contextlib.suppress(RuntimeError):  # The event loop is over.
            self._loop.call_soon_threadsafe(self._tell)

    def _refuse(self, error: GoshawkError) -> None:
        while not self._asked.empty():
            self._asked.get()[1].set_exception(error)


def _program(computer: Computer, program_id: int, *, plays: bool) -> Program:
    found = next(
        (one for one in computer.programs if one.id == program_id and one.plays == plays), None
    )
    if found is None:
        raise SoundServerRefused("The program is not there any more. Start it again first.")
    return found


async def _listed_cards() -> Cards:
    process = await asyncio.create_subprocess_exec(
        sys.executable,
        "-m",
        "goshawk.devices.list_cards",
        stdout=asyncio.subprocess.PIPE,
        stderr=asyncio.subprocess.DEVNULL,
    )
    try:
        async with asyncio.timeout(CARDS_PATIENCE_S):
            out, _ = await process.communicate()
        return msgspec.json.decode(out, type=Cards)
    except (TimeoutError, msgspec.MsgspecError):
        return Cards(trouble="The sound cards could not be listed: a driver hangs or fails.")
    finally:
        if process.returncode is None:
            await kill(process)
