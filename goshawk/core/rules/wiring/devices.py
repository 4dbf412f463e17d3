"""Devices that are gone, late, or not what they say; levels and processing with a second home."""

from collections.abc import Iterator

from goshawk.core.rig import knob
from goshawk.core.rules.finding import Finding, Mend, Value
from goshawk.core.rules.wiring.wired import Wired
from goshawk.core.text.figures import minus

UNITY_DB = 0.05


_TROUBLE = {
    "gone": "is gone. Plug it in, or start its program: it comes back by itself.",
    "unplugged": "is unplugged. Plug it in: it comes back by itself.",
    "waiting": "gives no sound yet. Open it on this page.",
    "no file": "has no file. Choose one under Devices.",
    "missing": "is not there. Choose another device.",
}


def devices(wired: Wired) -> Iterator[Finding]:
    """Devices that are gone, run at another rate, or have a level of their own."""
    rig = wired.rig
    for device in dict.fromkeys(one.device for one in rig.inputs if one.device):
        users = [one for one in rig.inputs if one.device == device]
        names = " and ".join(one.name for one in users)
        marks = [f"inputs.{one.id}.device" for one in users]
        status = wired.devices.get(device, {"state": "missing"})
        label = wired.label(device)
        if trouble := _TROUBLE.get(status.get("state", "")):
            yield Finding(
                code="device_gone",
                key=f"device_gone:{device}",
                title=f"{names}: no sound",
                text=f"{label} {trouble}"
                if not status.get("said")
                else f"{label}: {status['said']}",
                marks=marks,
            )
            continue
        counted = status.get("counted_rate_hz")
        said_hz = status.get("rate_hz", 48_000)
        if counted:
            yield Finding(
                code="rate_untrue",
                key=f"rate_untrue:{device}",
                title=f"{label} is not at the rate it says",
                text=f"It says {said_hz / 1000:g} kHz and delivers {counted / 1000:g} kHz. It is resampled "
                "from what it delivers; set its own rate to 48 kHz.",
                marks=marks,
                evidence="found by counting what arrives",
            )
        elif said_hz != 48_000 and not wired.info(device).is_of_a_page:
            yield Finding(
                code="rates_differ",
                key=f"rates_differ:{device}",
                title=f"{label} runs at {said_hz / 1000:g} kHz",
                text="It is resampled to 48 kHz, which costs some milliseconds. Set its own rate to 48 kHz "
                "if you can.",
                marks=marks,
            )
        drops = status.get("recent_dropouts", 0)
        if drops:
            yield Finding(
                code="dropouts",
                key=f"dropouts:{device}",
                title=f"{label} drops out",
                text=f"It was too late {drops} {'time' if drops == 1 else 'times'} in the last minute. "
                "Use another socket or cable, or a larger buffer.",
                badness=float(drops),
                marks=marks,
            )
    for one in rig.inputs:
        if count := wired.bad_samples.get(one.id):
            yield Finding(
                code="not_numbers",
                key=f"not_numbers:{one.id}",
                title=f"{one.name} delivers what is no sound",
                text=f"{count} samples were no numbers and were replaced by silence. Restart that device "
                "or its program.",
                badness=float(count),
                marks=[f"inputs.{one.id}.device"],
            )
    yield from _second_homes(wired)


def _second_homes(wired: Wired) -> Iterator[Finding]:
    rig = wired.rig
    for device, info in wired.known.items():
        players = [one for one in rig.inputs if one.device == device]
        volume = knob(rig, info.volume_path) if info.volume_path else 0.0
        if not players or abs(volume) <= UNITY_DB:
            continue
        changes: dict[str, Value] = {info.volume_path: 0.0}
        for one in players:
            changes[f"inputs.{one.id}.fader_db"] = one.held("fader_db", one.fader_db + volume)
        yield Finding(
            code="device_volume",
            key=f"device_volume:{device}",
            title=f"{info.label}'s level has two homes",
            text=f"{info.label} has a volume of its own, which stands at {minus(volume)} dB. Set it to 0 dB, and keep the level "
            "here: it stays as loud.",
            badness=abs(volume),
            marks=[f"inputs.{one.id}.device" for one in players],
            mend=Mend(label=f"{info.label} at 0 dB", changes=changes),
        )
    calls = [device for device, info in wired.known.items() if info.is_call]
    processing = [
        one for name in calls for one in wired.devices.get(name, {}).get("processing", [])
    ]
    is_called = any(wired.hears("call", one) for one in rig.inputs)
    if processing and is_called:
        service = rig.devices.call_service
        yield Finding(
            code="call_processes",
            key="call_processes",
            title="The call treats your voice again",
            text=f"The call service's own {' and '.join(processing)} {'is' if len(processing) == 1 else 'are'} "
            "on. Your voice is treated already; switch it off there.",
            badness=float(len(processing)),
            marks=["devices.call_service"],
            feeds=["call"],
            mend=Mend(
                label="Switch it off",
                changes={
                    f"devices.call_service.{name}": False
                    for name, is_on in (
                        ("has_gain_control", service.has_gain_control),
                        ("has_suppression", service.has_suppression),
                    )
                    if is_on
                },
            ),
        )
