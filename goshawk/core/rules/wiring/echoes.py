"""The same sound twice, in the call, in a loop, or coming back: by the wiring, and found by sound."""

from collections.abc import Iterator

from goshawk.core.measure.alike import Alike
from goshawk.core.routing import FEEDS, FeedName, InputSettings
from goshawk.core.rules.finding import Finding, Mend
from goshawk.core.rules.wiring.wired import Wired, evidence, headphones, listed, send_path, take_off
from goshawk.core.text.figures import minus

ECHO_MS = 30.0
"""Copies farther apart are heard as an echo, nearer ones as a hollow, combed sound."""


HOWL_MARGIN_DB = 6.0
"""A loop whose gain is nearer to 0 dB than this rings at the frequency where it is strongest."""


def call_hears_itself(wired: Wired) -> Iterator[Finding]:
    """A call must get everything but itself: a mix-minus."""
    rig = wired.rig
    callers = [one for one in rig.inputs if one.role == "call" or wired.info(one.device).is_call]
    carriers = [
        one for one in rig.inputs if wired.info(one.device).is_everything and one not in callers
    ]
    for one in (*callers, *carriers):
        if wired.hears("call", one):
            yield Finding(
                code="call_hears_itself",
                key=f"call_hears_itself:{one.id}",
                title="The call hears itself",
                text=f"{one.name} comes from the call and goes back to it, so the caller hears an echo. "
                "Send the call everything but itself (a mix-minus).",
                marks=[send_path(one, "call")],
                feeds=["call"],
                mend=take_off(one, "call"),
            )
    known = {one.id: one for one in rig.inputs}
    for pair in wired.alike:
        first, second = known.get(pair.first), known.get(pair.second)
        if first not in callers or second is None or second in callers or second in carriers:
            continue
        if not wired.hears("call", second):
            continue
        through_air = wired.is_in_the_room(second)
        yield Finding(
            code="call_hears_itself",
            key=f"call_hears_itself:{second.id}",
            title="The call hears itself",
            text=f"Its voice comes in as {first.name}, "
            + ("goes out of your loudspeakers into the microphone, " if through_air else "")
            + f"and back to it in {second.name}, {pair.lag_ms:.0f} ms later and "
            f"{minus(abs(pair.gain_db))} dB {'down' if pair.gain_db < 0 else 'up'}.",
            badness=pair.gain_db,
            marks=[send_path(second, "call")],
            feeds=["call"],
            mend=headphones() if through_air else take_off(second, "call"),
            evidence=evidence(pair),
        )


def _leaking(wired: Wired) -> dict[str, Alike]:
    """Voices that hold what the loudspeakers play, by the input's id: the whole of it, or at least
    one input that is heard over them."""
    if wired.rig.feeds.you.output != "loudspeakers":
        return {}
    whole = {
        pair.second: pair
        for pair in wired.alike
        if pair.first == "feed/you"
        and any(one.id == pair.second and wired.is_in_the_room(one) for one in wired.rig.inputs)
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


def loops(wired: Wired) -> Iterator[Finding]:
    """A microphone that hears what it is sent to through loudspeakers."""
    rig = wired.rig
    if rig.feeds.you.output != "loudspeakers":
        return
    leaking = _leaking(wired)
    for one in rig.inputs:
        if not wired.is_in_the_room(one) or not wired.hears("you", one):
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
            marks=[send_path(one, "you")],
            feeds=["you"],
            mend=take_off(one, "you"),
            evidence=evidence(leak) if leak else "",
        )


def _sides(one: InputSettings) -> set[int]:
    return {0} if one.channels == "left" else {1} if one.channels == "right" else {0, 1}


def twice(wired: Wired) -> Iterator[Finding]:
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
            names = listed(feeds)
            yield Finding(
                code="heard_twice",
                key=f"heard_twice:loudspeakers:{voice_id}",
                title=f"{names} hear{'s' if len(feeds) == 1 and feeds[0] != 'viewers' else ''} it twice",
                text=f"Your loudspeakers reach {one.name}'s microphone, {minus(-leak.gain_db)} dB down and "
                f"{leak.lag_ms:.0f} ms late. What you hear goes out a second time.",
                badness=leak.gain_db,
                marks=[send_path(one, feed) for feed in feeds],
                feeds=feeds,
                mend=headphones(),
                evidence=evidence(leak),
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
        and not wired.is_in_the_room(first)
        and wired.is_in_the_room(second)
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
    label = listed(feeds)
    return Finding(
        code="heard_twice",
        key=f"heard_twice:{stays.id}:{goes.id}",
        title=f"{shared.name} is heard twice",
        text=f"{stays.name} and {goes.name} carry the same sound, {how}. Heard by {label}.",
        badness=pair.gain_db if pair else 0.0,
        marks=[send_path(goes, feed) for feed in feeds],
        feeds=feeds,
        mend=Mend(
            label=f"Take {goes.name} off {label}",
            changes={f"{send_path(goes, feed)}.is_heard": False for feed in feeds},
        ),
        evidence=evidence(pair) if pair else "both take the same channel of the same device",
    )


def returning_voice(wired: Wired) -> Iterator[Finding]:
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
            f"{listed(feeds) if feeds else 'Nobody'} can hear it.",
            badness=pair.gain_db,
            marks=[send_path(one, feed) for feed in feeds],
            feeds=feeds,
            mend=Mend(
                label="Switch it off in the call",
                changes={wired.info(one.device).returns_path: False},
            )
            if wired.info(one.device).returns_path
            else None,
            evidence=evidence(pair),
        )
