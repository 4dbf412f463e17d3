"""``goshawk devices`` and ``goshawk doctor``: what this computer offers."""

import os
from collections.abc import Iterator
from typing import Any

from goshawk.core.computer import Computer, output_devices
from goshawk.core.rig import Rig
from goshawk.core.rig_changes import own_rig
from goshawk.devices.cards import as_devices, list_cards
from goshawk.devices.catalog import INPUT_DEVICES, OUTPUT_DEVICES
from goshawk.devices.sound_server.control import SoundServer
from goshawk.errors import NoSoundServer, SoundServerRefused
from goshawk.system.scheduling import grants_realtime

PRACTICE = "Practice"


def look() -> Computer:
    """All devices of the computer."""
    try:
        server = SoundServer()
    except NoSoundServer as error:
        found = Computer(server_trouble=str(error))
    else:
        try:
            found = server.state()
        except (NoSoundServer, SoundServerRefused) as error:
            found = Computer(server_trouble=str(error))
        finally:
            server.close()
    cards = list_cards()
    return found.model_copy(
        update={
            "devices": (*found.devices, *as_devices(cards.cards, has_server=bool(found.server))),
            "cards_trouble": cards.trouble,
        }
    )


def has_devices() -> bool:
    """Whether this computer has devices of its own; quick where there is a sound server."""
    try:
        server = SoundServer()
    except NoSoundServer:
        return bool(list_cards().cards)
    server.close()
    return True


def first_rig() -> Rig:
    """What ``goshawk serve`` begins with: the practice rig where there is nothing else to choose."""
    return own_rig() if has_devices() else Rig()


def as_rows(computer: Computer) -> list[dict[str, Any]]:
    """Inputs and outputs, one each: what ships with Goshawk too."""
    rows = [
        {
            "direction": one.direction, "id": one.id, "label": one.label, "host": one.host, "channels": one.channels,
            "rate_hz": one.rate_hz, "is_virtual": one.is_virtual, "is_default": one.is_default,
        }
        for one in computer.devices
    ]  # fmt: skip
    rows += [
        {
            "direction": "in", "id": info.id, "label": info.label, "host": PRACTICE, "channels": info.channels,
            "rate_hz": info.rate_hz, "is_virtual": True, "is_default": False,
        }
        for info in INPUT_DEVICES
    ]  # fmt: skip
    made = [one for one in output_devices(Computer(server=computer.server)) if computer.server]
    rows += [
        {
            "direction": "out", "id": out.id, "label": out.label, "host": out.host, "channels": 2,
            "rate_hz": 48_000, "is_virtual": True, "is_default": False,
        }
        for out in (*made, *OUTPUT_DEVICES)
    ]  # fmt: skip
    return rows


def as_lines(computer: Computer) -> Iterator[str]:
    """The same, to be read."""
    rows = as_rows(computer)
    for direction, title in (("in", "Sound comes in from"), ("out", "Sound goes out to")):
        yield title
        for row in (one for one in rows if one["direction"] == direction):
            rate = f"{row['rate_hz'] / 1000:g} kHz" if row["rate_hz"] else ""
            marks = ", ".join(
                word
                for word, is_so in (
                    ("default", row["is_default"]),
                    ("virtual", row["is_virtual"] and row["host"] != PRACTICE),
                )
                if is_so
            )
            facts = ", ".join(
                part for part in (row["host"], f"{row['channels']} ch", rate, marks) if part
            )
            yield f"  {row['label']}  ({facts})"
            yield f"      {row['id']}"
    for trouble in (computer.server_trouble, computer.cards_trouble):
        if trouble:
            yield trouble


def diagnosis(computer: Computer, is_page_built: bool) -> Iterator[tuple[bool, str]]:
    """Sentences on what this computer offers, and whether each is good news."""
    if computer.server:
        yield (
            True,
            f"Sound server: {computer.server}. Virtual microphones and loudspeakers can be made.",
        )
    else:
        yield (
            False,
            f"{computer.server_trouble} Goshawk cannot make virtual devices here: install a virtual audio cable (a "
            "loopback device of two channels at 48 kHz), and choose it as an output; programs then choose its other end.",
        )
    cards = [one for one in computer.devices if one.host != "Sound server"]
    if computer.cards_trouble:
        yield False, computer.cards_trouble
    else:
        hosts = ", ".join(sorted({one.host for one in cards}))
        yield (
            bool(cards),
            f"Sound cards: {len(cards)} ways in and out{f' by {hosts}' if hosts else ''}.",
        )
    if grants_realtime():
        yield True, "Real-time scheduling is granted: small buffers hold."
    else:
        yield (
            False,
            "Real-time scheduling is not granted, so buffers of devices are larger. Allow it to your user (on Linux: "
            "rtprio in /etc/security/limits.d, or the group audio).",
        )
    cores = os.cpu_count() or 1
    yield (
        cores > 1,
        f"{cores} processor {'cores' if cores > 1 else 'core: one is little for sound and pages'}.",
    )
    if is_page_built:
        yield True, "The page is built."
    else:
        yield False, "The page has not been built. Run ./scripts/setup."
