"""Where sound leaves: feeds that leave nowhere, outputs that do not play, devices that are two things at once, virtual devices
that are not as they were made."""

from collections.abc import Iterator

from goshawk.core.computer import MICROPHONE, microphone_key, source_label, wanted_virtual
from goshawk.core.routing import EXPECTED, FEED_LABELS, VIRTUAL, OutputSettings
from goshawk.core.rules.finding import Finding, Mend
from goshawk.core.rules.wiring.wired import Wired, take_off

LEAST_VOLUME = 0.995
"""Less than that is a level with a second home: 0.04 dB."""

_MONITOR = ".monitor"


def outputs(wired: Wired) -> Iterator[Finding]:
    """All findings about outputs and virtual devices."""
    yield from _nowhere(wired)
    yield from _not_playing(wired)
    yield from _same_device(wired)
    yield from _taken_back(wired)
    yield from _virtual(wired)
    yield from _played_twice(wired)


def _runs(wired: Wired, one: OutputSettings) -> bool:
    return wired.outputs.get(one.id, {}).get("state") == "playing"


def _device_label(wired: Wired, device: str) -> str:
    found = wired.computer.device(device)
    return found.label if found else device.partition(":")[2] or device


def _nowhere(wired: Wired) -> Iterator[Finding]:
    rig = wired.rig
    has_caller = any(one.role == "call" for one in rig.inputs)
    for feed in EXPECTED:
        if feed == "call" and not has_caller:
            continue
        if any(one.source == feed and one.device for one in rig.outputs):
            continue
        label = FEED_LABELS[feed]
        yield Finding(
            code="feed_leaves_nowhere",
            key=f"feed_leaves_nowhere:{feed}",
            title=f"{label} {'hear' if feed != 'call' else 'gets'} nothing yet",
            text=f"{label} has no output. Choose under Outputs where it leaves: a device, or a virtual microphone that "
            "your broadcasting program chooses."
            if feed != "you"
            else "You has no output. Choose under Outputs where you listen.",
            feeds=[feed],
        )


def _not_playing(wired: Wired) -> Iterator[Finding]:
    for one in wired.rig.outputs:
        said = wired.outputs.get(one.id, {}).get("said", "")
        if not one.device or one.is_muted or _runs(wired, one) or one.id not in wired.outputs:
            continue
        source = source_label(wired.rig, one.source)
        if one.device == VIRTUAL and not wired.computer.server:
            said = wired.computer.server_trouble or "There is no sound server on this computer."
        yield Finding(
            code="output_gone",
            key=f"output_gone:{one.id}",
            title=f"{source} does not leave by {_name(wired, one)}",
            text=said or "The device does not play. Plug it in, or choose another under Outputs.",
            marks=[f"outputs.{one.id}"],
            feeds=[feed for feed in EXPECTED if feed == one.source],
        )


def _name(wired: Wired, one: OutputSettings) -> str:
    if one.device == VIRTUAL:
        return "its virtual microphone"
    return _device_label(wired, one.device)


def _same_device(wired: Wired) -> Iterator[Finding]:
    rig = wired.rig
    for one in rig.outputs:
        twin = next(
            (
                other
                for other in rig.outputs
                if one.source == "viewers"
                and other.source == "you"
                and other.device == one.device
                and one.device not in ("", VIRTUAL)
                and not one.is_muted
                and not other.is_muted
            ),
            None,
        )
        if twin:
            yield Finding(
                code="same_device",
                key=f"same_device:{one.id}",
                title="Viewers and You leave by the same device",
                text=f"{_device_label(wired, one.device)} plays both at once: you hear everything twice. Mute one of them.",
                marks=[f"outputs.{one.id}", f"outputs.{twin.id}"],
                feeds=["viewers", "you"],
                mend=Mend(
                    label="Mute the output for viewers",
                    changes={f"outputs.{one.id}.is_muted": True},
                ),
            )


def _taken_back(wired: Wired) -> Iterator[Finding]:
    """A feed whose device is taken as an input that the feed hears."""
    for one in wired.rig.inputs:
        taken, at, pair = one.device.partition("@")
        if not taken.endswith(_MONITOR):
            continue
        sink = taken.removesuffix(_MONITOR) + at + pair
        for output in wired.rig.outputs:
            for feed in FEED_LABELS:
                is_loop = output.source == feed and output.device == sink and not output.is_muted
                if is_loop and wired.hears(feed, one):
                    yield Finding(
                        code="feed_taken_back",
                        key=f"feed_taken_back:{one.id}:{feed}",
                        title=f"{FEED_LABELS[feed]} comes back as {one.name}",
                        text=f"{one.name} takes what {_device_label(wired, sink)} plays, and "
                        f"{FEED_LABELS[feed]} leaves by it: it goes round and round.",
                        marks=[f"inputs.{one.id}.device", f"outputs.{output.id}"],
                        feeds=[feed],
                        mend=take_off(one, feed),
                    )


def _virtual(wired: Wired) -> Iterator[Finding]:
    computer = wired.computer
    wanted = wanted_virtual(wired.rig)
    readers = {one.key for one in computer.programs if not one.plays}
    for one in computer.virtual:
        if one.key not in wanted:
            continue
        if one.is_muted or one.volume < LEAST_VOLUME or one.volume > 2.0 - LEAST_VOLUME:
            level = "muted" if one.is_muted else f"at {one.volume * 100:.0f} %"
            yield Finding(
                code="virtual_not_unity",
                key=f"virtual_not_unity:{one.key}",
                title=f"{one.label} is turned in the system",
                text=f"It stands {level} there, and its level's home is here. Set it to 100 %: it passes everything "
                "as it is then.",
                mend=Mend(label="Set it to 100 %", changes={}, unity=one.key),
            )
        if one.key.startswith(MICROPHONE) and one.key not in readers:
            yield Finding(
                code="nobody_listens",
                key=f"nobody_listens:{one.key}",
                title=f"No program listens to {one.label}",
                text=f"Choose “{one.label}” as the microphone in your broadcasting program or call, or hand it to a program "
                "under Outputs.",
                feeds=[feed for feed in EXPECTED if microphone_key(feed) == one.key],
            )


def _played_twice(wired: Wired) -> Iterator[Finding]:
    """A program that plays into Goshawk and beside it."""
    playing = [one for one in wired.computer.programs if one.plays]
    for name in dict.fromkeys(one.name for one in playing):
        keys = {one.key for one in playing if one.name == name}
        if len(keys) > 1 and "" in keys:
            beside = next(one for one in playing if one.name == name and not one.key)
            yield Finding(
                code="program_played_twice",
                key=f"program_played_twice:{name}",
                title=f"{name} plays in two places",
                text=f"One of its sounds comes in here, another goes to {beside.device or 'another device'} past Goshawk. "
                "Take its sound as an input under Outputs, or choose one device in the program.",
            )
