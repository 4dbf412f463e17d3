"""Findings about the wiring: what the rig says, and what the signals say, each with its one mend.

Rules that follow from the rig alone speak at once; those that need sound (``alike``, ``health``) wait
for it, and give their evidence.
"""

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

from goshawk.core.measure.alike import Alike
from goshawk.core.measure.levels import StationLevels
from goshawk.core.measure.microphone import OPPOSITE, MicrophoneHealth
from goshawk.core.rig import Rig
from goshawk.core.rules.finding import Finding, Mend, Value, minus
from goshawk.core.wiring import FEEDS, FeedName, InputSettings

FEED_LABELS: dict[FeedName, str] = {
    "viewers": "Viewers",
    "you": "You",
    "call": "Call",
    "archive": "Archive",
}

SOUND_LATER_MS = 125.0
SOUND_EARLIER_MS = 45.0
"""Beyond these, viewers notice that sound comes after or before the picture (ITU-R BT.1359-1)."""

ECHO_MS = 30.0
"""Copies farther apart are heard as an echo, nearer ones as a hollow, combed sound."""

HOWL_MARGIN_DB = 6.0
"""A loop whose gain is nearer to 0 dB than this rings at the frequency where it is strongest."""

OFFSET_DBFS = -40.0
"""A constant offset above this costs headroom at the converter, and no later stage gives it back."""

HUM_DBFS = -60.0
"""Hum under this drowns in the noise of a room."""

UNITY_DB = 0.05


@dataclass(frozen=True)
class Wired:
    """What the rules look at. Device statuses are those of ``Port.status``; delays run from the
    microphone to each listener."""

    rig: Rig
    devices: dict[str, dict[str, Any]]
    labels: dict[str, str]
    in_the_room: frozenset[str] = frozenset()
    delays_ms: dict[FeedName, float] = field(default_factory=dict)
    alike: tuple[Alike, ...] = ()
    health: MicrophoneHealth | None = None
    stations: dict[str, StationLevels] = field(default_factory=dict)
    bad_samples: dict[str, int] = field(default_factory=dict)

    def hears(self, feed: FeedName, one: InputSettings) -> bool:
        """Whether an input is wired into a feed and not muted on its way."""
        return one.sends.to(feed).is_heard and not one.is_muted

    def label(self, device: str) -> str:
        """A device's name."""
        return self.labels.get(device, device)


def wiring_findings(wired: Wired) -> list[Finding]:
    """All findings, the gravest kind first."""
    return [
        *_silent_listeners(wired),
        *_private(wired),
        *_call_hears_itself(wired),
        *_loops(wired),
        *_twice(wired),
        *_returning_voice(wired),
        *_microphone(wired),
        *_devices(wired),
        *_ceilings(wired),
        *_lips(wired),
    ]


def _listed(feeds: list[FeedName]) -> str:
    """Viewers, Call and Archive."""
    names = [FEED_LABELS[feed] for feed in feeds]
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


def _send(one: InputSettings, feed: FeedName) -> str:
    return f"inputs.{one.id}.sends.{feed}"


def _take_off(one: InputSettings, feed: FeedName) -> Mend:
    return Mend(
        label=f"Take {one.name} off {FEED_LABELS[feed]}",
        changes={f"{_send(one, feed)}.is_heard": False},
    )


def _silent_listeners(wired: Wired) -> Iterator[Finding]:
    """Feeds that carry nothing, and viewers who do not hear the voice."""
    rig = wired.rig
    voices = [one for one in rig.inputs if one.role == "voice"]
    reaching = [
        one
        for one in voices
        if wired.hears("viewers", one) and not rig.feeds.viewers.is_muted and not rig.is_on_break
    ]
    if not reaching and not rig.is_on_break:
        changes: dict[str, Value] = {}
        if rig.feeds.viewers.is_muted:
            changes["feeds.viewers.is_muted"] = False
        voice = rig.voice or (voices[0] if voices else None)
        if voice and voice.is_muted:
            changes[f"inputs.{voice.id}.is_muted"] = False
        if voice and not voice.sends.viewers.is_heard:
            changes[f"{_send(voice, 'viewers')}.is_heard"] = True
        yield Finding(
            code="voice_missing",
            key="voice_missing",
            title="Viewers do not hear your voice",
            text="The voice is muted or not sent to Viewers."
            if voice
            else "No input has the role of a voice. Add one, and choose its microphone.",
            marks=[f"{_send(voice, 'viewers')}"] if voice else [],
            feeds=["viewers"],
            mend=Mend(label="Let viewers hear you", changes=changes) if changes else None,
        )
    for feed in FEEDS:
        if any(one.sends.to(feed).is_heard for one in rig.inputs):
            continue
        first = rig.voice if feed != "you" else next(iter(rig.inputs), None)
        label = FEED_LABELS[feed]
        if feed == "viewers" and not reaching:
            continue
        yield Finding(
            code="feed_empty",
            key=f"feed_empty:{feed}",
            title=f"{label} has no input",
            text=f"Nothing is sent to {label}, so there is only silence.",
            feeds=[feed],
            mend=Mend(
                label=f"Send {first.name} to {label}",
                changes={f"{_send(first, feed)}.is_heard": True},
            )
            if first
            else None,
        )


def _private(wired: Wired) -> Iterator[Finding]:
    for one in wired.rig.inputs:
        if one.is_private and wired.hears("viewers", one):
            yield Finding(
                code="private_heard",
                key=f"private_heard:{one.id}",
                title=f"Viewers hear {one.name}",
                text=f"{one.name} is marked as private, and goes to Viewers all the same.",
                marks=[_send(one, "viewers")],
                feeds=["viewers"],
                mend=_take_off(one, "viewers"),
            )


def _call_hears_itself(wired: Wired) -> Iterator[Finding]:
    """A call must get everything but itself: a mix-minus."""
    rig = wired.rig
    callers = [one for one in rig.inputs if one.role == "call" or one.device == "call"]
    carriers = [one for one in rig.inputs if one.device == "computer" and one not in callers]
    for one in (*callers, *carriers):
        if wired.hears("call", one):
            yield Finding(
                code="call_hears_itself",
                key=f"call_hears_itself:{one.id}",
                title="The call hears itself",
                text=f"{one.name} comes from the call and goes back to it, so the caller hears an echo. "
                "Send the call everything but itself (a mix-minus).",
                marks=[_send(one, "call")],
                feeds=["call"],
                mend=_take_off(one, "call"),
            )
    known = {one.id: one for one in rig.inputs}
    for pair in wired.alike:
        first, second = known.get(pair.first), known.get(pair.second)
        if first not in callers or second is None or second in callers or second in carriers:
            continue
        if not wired.hears("call", second):
            continue
        through_air = second.device in wired.in_the_room
        yield Finding(
            code="call_hears_itself",
            key=f"call_hears_itself:{second.id}",
            title="The call hears itself",
            text=f"Its voice comes in as {first.name}, "
            + ("goes out of your loudspeakers into the microphone, " if through_air else "")
            + f"and back to it in {second.name}, {pair.lag_ms:.0f} ms later and "
            f"{minus(abs(pair.gain_db))} dB {'down' if pair.gain_db < 0 else 'up'}.",
            badness=pair.gain_db,
            marks=[_send(second, "call")],
            feeds=["call"],
            mend=_headphones() if through_air else _take_off(second, "call"),
            evidence=_evidence(pair),
        )


def _headphones() -> Mend:
    return Mend(label="Use headphones", changes={"feeds.you.output": "headphones"})


def _evidence(pair: Alike) -> str:
    return f"found by sound, not by guess: correlation {pair.correlation:.2f}"


def _leaking(wired: Wired) -> dict[str, Alike]:
    """Voices that hold what the loudspeakers play, by the input's id: the whole of it, or at least
    one input that is heard over them."""
    if wired.rig.feeds.you.output != "loudspeakers":
        return {}
    whole = {
        pair.second: pair
        for pair in wired.alike
        if pair.first == "feed/you"
        and any(
            one.id == pair.second and one.device in wired.in_the_room for one in wired.rig.inputs
        )
    }
    return {**{pair.second: pair for pair in wired.alike if _is_leak(wired, pair)}, **whole}


def _chain_gain_db(wired: Wired) -> float:
    """What the chain adds to usual speech, from its first to its last station."""
    stages = [slot.id for slot in wired.rig.chain]
    first = wired.stations.get("microphone")
    last = wired.stations.get(stages[-1]) if stages else None
    if first and last and first.body_high_dbfs is not None and last.body_high_dbfs is not None:
        return last.body_high_dbfs - first.body_high_dbfs
    return 0.0


def _loops(wired: Wired) -> Iterator[Finding]:
    """A microphone that hears what it is sent to through loudspeakers."""
    rig = wired.rig
    if rig.feeds.you.output != "loudspeakers":
        return
    leaking = _leaking(wired)
    for one in rig.inputs:
        if one.device not in wired.in_the_room or not wired.hears("you", one):
            continue
        leak = leaking.get(one.id)
        send = one.sends.you
        around = send.level_db + rig.feeds.you.fader_db
        around += one.trim_db + one.fader_db if send.tap == "after_fader" else 0.0
        text = f"{one.name} goes to your loudspeakers and from there into its own microphone."
        gain_db = None
        if leak:
            gain_db = (
                leak.gain_db + around + (_chain_gain_db(wired) if one.id == rig.chained else 0.0)
            )
            text += f" Once around it changes by {minus(gain_db)} dB: " + (
                "it howls." if gain_db > -HOWL_MARGIN_DB else "it does not howl yet."
            )
        yield Finding(
            code="loop_howls",
            key=f"loop_howls:{one.id}",
            title="This loop will howl",
            text=text,
            badness=gain_db if gain_db is not None else -60.0,
            marks=[_send(one, "you")],
            feeds=["you"],
            mend=_take_off(one, "you"),
            evidence=_evidence(leak) if leak else "",
        )


def _sides(one: InputSettings) -> set[int]:
    return {0} if one.channels == "left" else {1} if one.channels == "right" else {0, 1}


def _twice(wired: Wired) -> Iterator[Finding]:
    """One sound on two ways to one listener."""
    rig = wired.rig
    leaking = _leaking(wired)
    for voice_id, leak in leaking.items():
        one = rig.input(voice_id)
        feeds: list[FeedName] = [
            feed
            for feed in FEEDS
            if feed != "you"
            and one
            and wired.hears(feed, one)
            and any(
                other.id != voice_id and wired.hears(feed, other) and wired.hears("you", other)
                for other in rig.inputs
            )
        ]
        if feeds and one:
            names = _listed(feeds)
            yield Finding(
                code="heard_twice",
                key=f"heard_twice:loudspeakers:{voice_id}",
                title=f"{names} hear{'s' if len(feeds) == 1 and feeds[0] != 'viewers' else ''} it twice",
                text=f"Your loudspeakers reach {one.name}'s microphone, {minus(-leak.gain_db)} dB down and "
                f"{leak.lag_ms:.0f} ms late. What you hear goes out a second time.",
                badness=leak.gain_db,
                marks=[_send(one, feed) for feed in feeds],
                feeds=feeds,
                mend=_headphones(),
                evidence=_evidence(leak),
            )
    pairs = {(pair.first, pair.second): pair for pair in wired.alike}
    for number, one in enumerate(rig.inputs):
        for other in rig.inputs[number + 1 :]:
            pair = pairs.get((one.id, other.id)) or pairs.get((other.id, one.id))
            is_same = (
                bool(one.device)
                and one.device == other.device
                and bool(_sides(one) & _sides(other))
            )
            if (pair and _is_leak(wired, pair)) or not (pair or is_same):
                continue
            if _is_returning(wired, one, other):
                continue
            both: list[FeedName] = [
                f for f in FEEDS if wired.hears(f, one) and wired.hears(f, other)
            ]
            if both:
                yield _twice_finding(wired, one, other, both, pair)


def _is_leak(wired: Wired, pair: Alike) -> bool:
    """Whether a likeness is what loudspeakers bring into a microphone: told once, with them."""
    first, second = wired.rig.input(pair.first), wired.rig.input(pair.second)
    return (
        wired.rig.feeds.you.output == "loudspeakers"
        and first is not None
        and second is not None
        and wired.hears("you", first)
        and first.device not in wired.in_the_room
        and second.device in wired.in_the_room
    )


def _is_returning(wired: Wired, one: InputSettings, other: InputSettings) -> bool:
    """Whether the likeness of two inputs is one's own voice coming back over the call."""
    ids = {one.id, other.id}
    return any(pair.first == "feed/call" and pair.second in ids for pair in wired.alike) and any(
        x.role == "call" or x.device == "call" for x in (one, other)
    )


def _twice_finding(
    wired: Wired,
    one: InputSettings,
    other: InputSettings,
    feeds: list[FeedName],
    pair: Alike | None,
) -> Finding:
    # The voice of the chain stays; of two others, the one lower in the list goes.
    goes = one if other.id == wired.rig.chained else other
    stays = other if goes is one else one
    shared = other if pair and pair.first == other.id else one
    lag_ms = pair.lag_ms if pair else 0.0
    if lag_ms >= ECHO_MS:
        how = f"{lag_ms:.0f} ms apart: an echo"
    elif lag_ms > 0.2:
        how = (
            f"{lag_ms:.1f} ms apart: a hollow, combed sound with its first gap at "
            f"{500.0 / lag_ms:.0f} Hz"
        )
    else:
        how = "at the same time: it is too loud, and its level has two homes"
    label = _listed(feeds)
    return Finding(
        code="heard_twice",
        key=f"heard_twice:{stays.id}:{goes.id}",
        title=f"{shared.name} is heard twice",
        text=f"{stays.name} and {goes.name} carry the same sound, {how}. Heard by {label}.",
        badness=pair.gain_db if pair else 0.0,
        marks=[_send(goes, feed) for feed in feeds],
        feeds=feeds,
        mend=Mend(
            label=f"Take {goes.name} off {label}",
            changes={f"{_send(goes, feed)}.is_heard": False for feed in feeds},
        ),
        evidence=_evidence(pair) if pair else "both take the same channel of the same device",
    )


def _returning_voice(wired: Wired) -> Iterator[Finding]:
    for pair in wired.alike:
        one = wired.rig.input(pair.second)
        if pair.first != "feed/call" or one is None:
            continue
        feeds = [feed for feed in FEEDS if wired.hears(feed, one)]
        yield Finding(
            code="voice_returns",
            key=f"voice_returns:{one.id}",
            title="The call sends your own voice back",
            text=f"What you send to the call returns in {one.name}, {pair.lag_ms:.0f} ms later and "
            f"{minus(abs(pair.gain_db))} dB {'down' if pair.gain_db < 0 else 'up'}. "
            f"{_listed(feeds) if feeds else 'Nobody'} can hear it.",
            badness=pair.gain_db,
            marks=[_send(one, feed) for feed in feeds],
            feeds=feeds,
            mend=Mend(
                label="Switch it off in the call",
                changes={"devices.call_service.sends_back": False},
            )
            if one.device == "call"
            else None,
            evidence=_evidence(pair),
        )


_SIDES = ("left", "right")


def _microphone(wired: Wired) -> Iterator[Finding]:
    """What is wrong with the voice's own signal."""
    one, health = wired.rig.voice, wired.health
    if one is None or health is None:
        return
    taken = sorted(_sides(one))
    dead = health.dead_side
    is_stereo_device = wired.devices.get(one.device, {}).get("channels", 2) == 2
    if dead is not None and dead in taken and is_stereo_device:
        alive = _SIDES[1 - dead]
        wrong = one.channels == _SIDES[dead]
        yield Finding(
            code="microphone_in_one_ear",
            key=f"microphone_in_one_ear:{one.id}",
            title="The other channel has the microphone"
            if wrong
            else "The microphone is in one ear",
            text=f"The {_SIDES[dead]} channel of {wired.label(one.device)} is dead "
            f"({minus(health.peaks_dbfs[dead])} dBFS), the {alive} one has the voice"
            + (
                "."
                if wrong
                else f". As {'a stereo pair it is heard on one side' if one.channels == 'stereo' else 'a sum it loses 6 dB'}."
            ),
            marks=[f"inputs.{one.id}.channels"],
            mend=Mend(
                label=f"Take the {alive} channel", changes={f"inputs.{one.id}.channels": alive}
            ),
            evidence="measured over the last 8 s",
        )
    if health.correlation < OPPOSITE and len(taken) == 2:
        yield Finding(
            code="opposite_polarity",
            key=f"opposite_polarity:{one.id}",
            title="Left and right are upside down to each other",
            text="One channel is the other turned over, so their sum loses the voice. "
            "Take one of them, and check the cable.",
            badness=-10.0 * health.correlation,
            marks=[f"inputs.{one.id}.channels"],
            mend=Mend(label="Take the left channel", changes={f"inputs.{one.id}.channels": "left"}),
            evidence=f"correlation of left and right {minus(health.correlation, 2)}",
        )
    side = next((s for s in taken if s != dead), 0)
    flat = health.flat_tops_dbfs[side]
    if flat is not None and flat < -0.1:
        yield Finding(
            code="flat_tops",
            key=f"flat_tops:{one.id}",
            title="The voice is clipped ahead of Goshawk",
            text=f"Its peaks are cut off flat at {minus(flat, 1)} dBFS, under full scale: something before "
            "the converter is too loud. Turn down the microphone's or the mixer's own gain.",
            badness=-flat,
            marks=[f"inputs.{one.id}.device"],
            evidence="peaks that stay level for six samples and more",
        )
    offset = health.offsets_dbfs[side]
    if offset > OFFSET_DBFS:
        yield Finding(
            code="constant_offset",
            key=f"constant_offset:{one.id}",
            title="A constant offset costs headroom",
            text=f"The microphone's signal stands {minus(offset)} dBFS off the middle. The trim takes it "
            "away, but the converter's room is lost: try another cable or socket.",
            badness=offset,
            marks=[f"inputs.{one.id}.device"],
        )
    hum = health.hums[side]
    if hum and hum.level_dbfs > HUM_DBFS:
        yield Finding(
            code="hum",
            key=f"hum:{one.id}",
            title=f"Hum at {hum.frequency_hz} Hz",
            text=f"Mains hum with its harmonics, {minus(hum.level_dbfs)} dBFS together. Keep the "
            "microphone's cable away from power supplies, and feed both from one socket.",
            badness=hum.level_dbfs,
            marks=[f"inputs.{one.id}.device"],
        )


_TROUBLE = {
    "unplugged": "is unplugged. Plug it in: it comes back by itself.",
    "waiting": "gives no sound yet. Open it on this page.",
    "no file": "has no file. Choose one under Devices.",
    "missing": "is not there. Choose another device.",
}


def _devices(wired: Wired) -> Iterator[Finding]:
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
                text=f"{label} {trouble}",
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
        elif said_hz != 48_000 and device != "browser":
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
    volume = rig.devices.player.volume_db
    players = [one for one in rig.inputs if one.device == "player"]
    if players and abs(volume) > UNITY_DB:
        changes: dict[str, Value] = {"devices.player.volume_db": 0.0}
        for one in players:
            changes[f"inputs.{one.id}.fader_db"] = max(-60.0, min(12.0, one.fader_db + volume))
        yield Finding(
            code="device_volume",
            key="device_volume:player",
            title="The music's level has two homes",
            text=f"The player's own volume stands at {minus(volume)} dB. Set it to 0 dB, and keep the level "
            "here: it stays as loud.",
            badness=abs(volume),
            marks=[f"inputs.{one.id}.device" for one in players],
            mend=Mend(label="Player at 0 dB", changes=changes),
        )
    processing = wired.devices.get("call", {}).get("processing", [])
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


def _ceilings(wired: Wired) -> Iterator[Finding]:
    for feed in FEEDS:
        if not wired.rig.feeds.of(feed).has_ceiling:
            label = FEED_LABELS[feed]
            yield Finding(
                code="no_ceiling",
                key=f"no_ceiling:{feed}",
                title=f"{label} has no ceiling",
                text=f"Two loud sounds together can clip what {label} "
                f"{'hear' if feed in ('viewers', 'you') else 'gets'}.",
                marks=[f"feeds.{feed}.has_ceiling"],
                feeds=[feed],
                mend=Mend(
                    label="Switch the ceiling on", changes={f"feeds.{feed}.has_ceiling": True}
                ),
            )


def _lips(wired: Wired) -> Iterator[Finding]:
    """Sound against picture, as viewers see it."""
    total_ms = wired.delays_ms.get("viewers")
    if total_ms is None:
        return
    rig = wired.rig
    late_ms = total_ms - rig.picture_delay_ms
    if -SOUND_EARLIER_MS <= late_ms <= SOUND_LATER_MS:
        return
    needless = rig.feeds.viewers.delay_ms
    without = late_ms - needless
    if late_ms > 0 and needless > 0 and -SOUND_EARLIER_MS <= without <= SOUND_LATER_MS:
        mend = Mend(label="No delay for Viewers", changes={"feeds.viewers.delay_ms": 0.0})
    else:
        wait = float(round(min(1000.0, total_ms)))
        mend = Mend(label=f"The picture waits {wait:.0f} ms", changes={"picture_delay_ms": wait})
    way, limit = ("after", SOUND_LATER_MS) if late_ms > 0 else ("before", SOUND_EARLIER_MS)
    yield Finding(
        code="lips",
        key="lips",
        title="Lips and voice come apart",
        text=f"Viewers hear you {abs(late_ms):.0f} ms {way} they see you; more than {limit:.0f} ms shows. "
        f"Delay the picture by {total_ms:.0f} ms in your broadcast program.",
        badness=abs(late_ms) / 10.0,
        marks=["feeds.viewers.delay_ms"],
        feeds=["viewers"],
        mend=mend,
    )
