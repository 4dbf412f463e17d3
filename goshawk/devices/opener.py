"""Opens what of the computer's devices the engine wants, in a thread of its own: listing, opening, closing and losing a
device take as long as they take, and no block waits for any of it."""

import contextlib
import logging
import threading
import time
from collections.abc import Iterable

from goshawk.core.dsp.frame_ring import DROPOUTS, TARGET
from goshawk.devices.cards import CardStreams
from goshawk.devices.endpoint import CARD, GROWTH, SERVER, Endpoint
from goshawk.devices.sound_server.streams import ServerStreams
from goshawk.system.scheduling import take_realtime

log = logging.getLogger(__name__)

LOOK_S = 0.2
OPENER_PRIORITY = 18
SETTLES_S = 2.0
CALM_S, SHRINKING = 60.0, 0.9
MOST_BUFFER_MS = 200.0


class Opener:
    """Begins its thread when the first device is wanted."""

    def __init__(self) -> None:
        self._wanted: list[Endpoint] = []
        self._thread: threading.Thread | None = None
        self._is_changed = threading.Event()
        self._is_ended = False
        self.cards_round = 0
        """Another number says that the list of cards has changed."""

    def want(self, endpoints: Iterable[Endpoint]) -> None:
        """From now on these are to be open, and no others."""
        self._wanted = list(endpoints)
        if self._thread is None and self._wanted:
            self._thread = threading.Thread(target=self._run, name="devices", daemon=True)
            self._thread.start()
        self._is_changed.set()

    def close(self) -> None:
        """Close all, and end."""
        self._is_ended = True
        self._is_changed.set()
        if self._thread:
            self._thread.join(2.0)

    def _run(self) -> None:
        # Whoever holds Python must not be kept waiting: the sound waits for it.
        take_realtime(OPENER_PRIORITY)
        server, cards = ServerStreams(), CardStreams()
        while not self._is_ended:
            self._is_changed.clear()
            wanted = self._wanted
            cards.listed_anew(self.cards_round)
            for streams, kind in ((server, SERVER), (cards, CARD)):
                of_it = [one for one in wanted if one.device.startswith(f"{kind}:")]
                try:
                    streams.follow(of_it)
                except Exception:
                    # A library that throws costs its own devices' sound, for a while.
                    log.exception("devices of the kind %r could not be followed", kind)
                    for one in of_it:
                        one.said = "Opening the device has failed. It is tried again."
            for one in wanted:
                _settle(one)
                _grow(one)
            self._is_changed.wait(LOOK_S)
        for streams in (server, cards):
            with contextlib.suppress(Exception):
                streams.close()


def _settle(endpoint: Endpoint) -> None:
    """A device that has just been opened says in what pieces it works."""
    if endpoint.opened != endpoint.noticed_openings:
        endpoint.noticed_openings = endpoint.opened
        endpoint.settles_until_s = time.monotonic() + SETTLES_S
        endpoint.ring.numbers[TARGET] = round(endpoint.target_ms / 1000.0 * endpoint.rate_hz)


def _shrink(endpoint: Endpoint) -> None:
    """It has been calm for long: a little less is to wait again, down to what was asked for."""
    least = round(endpoint.target_ms / 1000.0 * endpoint.rate_hz)
    now = int(endpoint.ring.numbers[TARGET])
    endpoint.ring.numbers[TARGET] = max(least, round(now * SHRINKING))
    endpoint.growth = max(1.0, endpoint.growth * SHRINKING)
    endpoint.calm_since_s = time.monotonic()


def _grow(endpoint: Endpoint) -> None:
    """Where there was too little, more is to wait from now on."""
    dropouts = int(endpoint.ring.numbers[DROPOUTS])
    if endpoint.dropouts != endpoint.known_dropouts or not endpoint.has_grown:
        endpoint.known_dropouts = endpoint.dropouts
        endpoint.calm_since_s = time.monotonic()
    elif time.monotonic() - endpoint.calm_since_s > CALM_S:
        _shrink(endpoint)
    is_settled = time.monotonic() > endpoint.settles_until_s
    if dropouts > endpoint.noticed_dropouts and endpoint.state == "playing" and is_settled:
        most = round(MOST_BUFFER_MS / 1000.0 * endpoint.rate_hz)
        now = int(endpoint.ring.numbers[TARGET])
        if now < most:
            endpoint.ring.numbers[TARGET] = min(most, round(now * GROWTH))
            endpoint.grown += 1
    endpoint.noticed_dropouts = dropouts
