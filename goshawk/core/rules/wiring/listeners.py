"""Listeners who hear nothing, or what is not for them, and feeds without a ceiling."""

from collections.abc import Iterator

from goshawk.core.routing import FEED_LABELS, FEEDS
from goshawk.core.rules.finding import Finding, Mend, Value
from goshawk.core.rules.wiring.wired import Wired, send_path, take_off


def silent_listeners(wired: Wired) -> Iterator[Finding]:
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
            changes[f"{send_path(voice, 'viewers')}.is_heard"] = True
        yield Finding(
            code="voice_missing",
            key="voice_missing",
            title="Viewers do not hear your voice",
            text="The voice is muted or not sent to Viewers."
            if voice
            else "No input has the role of a voice. Add one, and choose its microphone.",
            marks=[f"{send_path(voice, 'viewers')}"] if voice else [],
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
                changes={f"{send_path(first, feed)}.is_heard": True},
            )
            if first
            else None,
        )


def private_inputs(wired: Wired) -> Iterator[Finding]:
    for one in wired.rig.inputs:
        if one.is_private and wired.hears("viewers", one):
            yield Finding(
                code="private_heard",
                key=f"private_heard:{one.id}",
                title=f"Viewers hear {one.name}",
                text=f"{one.name} is marked as private, and goes to Viewers all the same.",
                marks=[send_path(one, "viewers")],
                feeds=["viewers"],
                mend=take_off(one, "viewers"),
            )


def ceilings(wired: Wired) -> Iterator[Finding]:
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
