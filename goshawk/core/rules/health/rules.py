"""The rules, one function each: a moment and the rig in, what is wrong now out."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from goshawk.core.rig import Rig
from goshawk.core.routing import FEEDS, FeedName
from goshawk.core.rules.finding import Mend, minus
from goshawk.core.rules.health.moment import Moment
from goshawk.core.watch_settings import HeardAs, RuleName
from goshawk.units import CLIPPED_DBFS

UNHEARD_DBFS = -70.0
"""Speech that brings a listener no more than this has been cut off on its way."""

SILENT_DBFS = -95.0
"""A microphone's own noise stands above this; digital silence does not."""

HARD_CEILING_DB = 6.0
"""A ceiling that takes this much is heard as pumping."""

LOUDNESS_TOLERANCE_LU = 3.0
"""Short of this a listener does not reach for the knob between two streams."""
DELAY_GROWN_MS = 20.0
"""Half of what EBU R 37 allows sound to be late: a delay that has grown by this will be seen on lips."""

ECHO_CODES = ("loop_howls", "heard_twice", "voice_returns", "call_hears_itself")
DRIFT_CODES = ("rate_untrue",)
PLAYS = ("playing", "waiting", "")
LISTENERS: dict[FeedName, str] = {
    "viewers": "viewers",
    "call": "the call",
    "archive": "the archive",
    "you": "you",
}


@dataclass(frozen=True)
class Trouble:
    """Something that is wrong in a moment: of whom, in which words, how bad, what helps. ``share`` of the moment counts against
    the rule's patience; what only may have something in it (``is_sure`` is not set) is looked at once more before it is told.
    ``since_s``: where in the evening it began, if that was before it could be seen."""

    subject: str
    title: str
    text: str
    badness: float = 0.0
    help: str = ""
    mend: Mend | None = None
    share: float = 1.0
    is_sure: bool = True
    since_s: float | None = None


def let_hear(rig: Rig, feeds: list[FeedName]) -> Mend | None:
    """What lets the listeners hear the main voice again."""
    voice = rig.voice
    if voice is None:
        return None
    changes: dict[str, float | bool | str] = {}
    if voice.is_muted:
        changes[f"inputs.{voice.id}.is_muted"] = False
    if rig.is_on_break and "viewers" in feeds:
        changes["is_on_break"] = False
    for feed in feeds:
        if rig.feeds.of(feed).is_muted:
            changes[f"feeds.{feed}.is_muted"] = False
    names = " and ".join(LISTENERS[feed] for feed in feeds)
    return Mend(label=f"Let {names} hear me", changes=changes) if changes else None


def _why_unheard(rig: Rig, moment: Moment, feed: FeedName) -> str:
    voice = rig.voice
    if voice is not None and voice.is_muted:
        return f"{voice.name} is muted."
    if rig.is_on_break and feed == "viewers":
        return "The break is on."
    if rig.feeds.of(feed).is_muted:
        return f"What {LISTENERS[feed]} get is muted."
    if voice is not None and not voice.sends.to(feed).is_heard:
        return f"Your voice is not sent to {LISTENERS[feed]}."
    if moment.playing != "devices":
        return "A loop or a replay plays in your microphone's place."
    return "The cough key is held."


def _shut_out(moment: Moment, rig: Rig) -> list[FeedName]:
    """Who is meant to hear the voice and cannot."""
    voice = rig.voice
    if voice is None:
        return []
    wanted: list[FeedName] = ["viewers"]
    if any(one.role == "call" for one in rig.inputs) and voice.sends.to("call").is_heard:
        wanted.append("call")
    return [feed for feed in wanted if not moment.open.get(feed, False)]


def talk_unheard(moment: Moment, rig: Rig) -> Iterable[Trouble]:
    """Speech at the microphone while viewers, or a call that is meant to hear it, are shut."""
    shut = _shut_out(moment, rig)
    if not shut or not moment.speech_s:
        return
    names = " and ".join(LISTENERS[feed] for feed in shut)
    does = "do" if shut[0] == "viewers" or len(shut) > 1 else "does"
    mend = let_hear(rig, shut)
    yield Trouble(
        "+".join(shut),
        f"You talk, but {names} {does} not hear you",
        _why_unheard(rig, moment, shut[0]),
        help=mend.label if mend else "Open it in Wiring, or end what plays.",
        mend=mend,
        share=min(1.0, moment.speech_s / moment.seconds),
        is_sure=False,
    )


def voice_missing(moment: Moment, rig: Rig) -> Iterable[Trouble]:
    """Speech, a way that is open, and yet nothing arrives: a gate that stays shut, a chain that lets nothing through."""
    if rig.voice is None or not moment.speech_s or not moment.open.get("viewers", False):
        return
    reach = moment.reach_dbfs.get("viewers", 0.0)
    if reach < UNHEARD_DBFS:
        yield Trouble(
            "",
            "You talk, but nothing arrives at viewers",
            "Nothing is muted. The chain lets nothing through.",
            UNHEARD_DBFS - reach,
            "Look at the gate's opening level in Chain.",
            share=min(1.0, moment.speech_s / moment.seconds),
            is_sure=False,
        )


def clips(moment: Moment, rig: Rig) -> Iterable[Trouble]:
    """Full scale at the converter, which nothing behind it mends."""
    is_full_scale = moment.microphone_dbfs >= CLIPPED_DBFS
    if is_full_scale:
        found = next((f for f in moment.slow.findings if f.key == "microphone_clips"), None)
        yield Trouble(
            rig.chained,
            "The microphone clips",
            "It stands at full scale.",
            moment.microphone_dbfs,
            found.text if found else "Turn its preamp down by 6 dB.",
            found.mend if found else None,
        )
    # What clips before its converter, below full scale, and others' microphones: known every few seconds.
    told = {one.id for one in rig.inputs} - ({rig.chained} if is_full_scale else set())
    for trouble in _by_codes(moment, ("flat_tops", "microphone_clips")):
        if trouble.subject in told:
            yield trouble


def ceiling(moment: Moment, rig: Rig) -> Iterable[Trouble]:
    """A ceiling that takes a lot off the whole."""
    if moment.ceiling_db > HARD_CEILING_DB:
        yield Trouble(
            "viewers",
            "The ceiling works hard",
            f"It takes {moment.ceiling_db:.1f} dB. It holds, but the whole is pushed down with it.",
            moment.ceiling_db,
            "Lower what was that loud, in Balance.",
        )


def device_lost(moment: Moment, rig: Rig) -> Iterable[Trouble]:
    """An input without its device."""
    for one in rig.inputs:
        device = moment.devices.get(one.id)
        if device is not None and device.state not in (*PLAYS, "ended"):
            yield Trouble(
                one.id,
                f"{one.name}: its device is lost",
                device.said or f"It is {device.state}.",
                help="Plug it in again: it comes back by itself. Or choose another in Wiring.",
            )


def device_silent(moment: Moment, rig: Rig) -> Iterable[Trouble]:
    """A microphone that gives nothing but noughts although its device plays."""
    voice = rig.voice
    device = moment.devices.get(rig.chained)
    plays = device is not None and device.state == "playing"
    if voice is not None and plays and moment.microphone_dbfs < SILENT_DBFS:
        yield Trouble(
            voice.id,
            "The microphone is silent",
            "Its device plays, but gives nothing at all.",
            help="Look for a switch on the microphone or its interface.",
        )


def _by_codes(moment: Moment, codes: tuple[str, ...], *, is_sure: bool = True) -> Iterable[Trouble]:
    for found in moment.slow.findings:
        if found.code in codes:
            yield Trouble(
                found.key.partition(":")[2] or found.code,
                found.title,
                found.text,
                found.badness,
                found.mend.label if found.mend else "",
                found.mend,
                is_sure=is_sure,
                since_s=moment.slow.since_s.get(found.key),
            )


def device_drifts(moment: Moment, rig: Rig) -> Iterable[Trouble]:
    """A rate that is not what the device says."""
    return _by_codes(moment, DRIFT_CODES)


def echo(moment: Moment, rig: Rig) -> Iterable[Trouble]:
    """The same sound twice at one listener, or round and round."""
    return _by_codes(moment, ECHO_CODES)


def gate_chops(moment: Moment, rig: Rig) -> Iterable[Trouble]:
    """A gate over the speech."""
    return _by_codes(moment, ("gate_chops_speech",), is_sure=False)


def limiter_hard(moment: Moment, rig: Rig) -> Iterable[Trouble]:
    """A limiter that works all the time: something before it has changed."""
    return _by_codes(moment, ("limiter_works_always",), is_sure=False)


def dropouts(moment: Moment, rig: Rig) -> Iterable[Trouble]:
    """Sound that nobody made, or that came too late."""
    if moment.missed_s > 0.0:
        yield Trouble(
            "",
            "Sound was lost",
            f"{moment.missed_s:.2f} s were not made: the computer was short of time, or the audio process was "
            "started again.",
            moment.missed_s,
            "Close what else works hard, or choose a larger buffer in Wiring.",
        )
    for one in rig.inputs:
        device = moment.devices.get(one.id)
        if device is not None and device.dropouts:
            yield Trouble(
                one.id,
                f"{one.name} drops out",
                f"Its device had nothing to give {device.dropouts} times.",
                float(device.dropouts),
                "Look at its cable, or choose more device buffer in Wiring.",
            )


def room_changed(moment: Moment, rig: Rig) -> Iterable[Trouble]:
    """Room or voice, far from those of the sound check."""
    if moment.slow.drift:
        yield Trouble(
            "", "The room has changed", moment.slow.drift, help="Check your sound in a pause."
        )


def covered(moment: Moment, rig: Rig) -> Iterable[Trouble]:
    """Peaks of another input that reach those of the voice, while it speaks."""
    if not moment.is_speaking:
        return
    for one in rig.inputs:
        over_db = moment.over_db.get(one.id)
        if over_db is None or one.role == "voice" or over_db >= 0.0:
            continue
        wanted = rig.targets.clearance_db(one.role)
        yield Trouble(
            one.id,
            f"{one.name} is over you",
            f"It stands {minus(-over_db, 1)} dB over your peaks; {wanted:.0f} dB under them are wanted.",
            -over_db,
            f"Bring {one.name} to its target in Balance; a hold keeps it there.",
        )


def loudness_off(moment: Moment, rig: Rig) -> Iterable[Trouble]:
    """The whole beside its target."""
    found, wanted = moment.slow.loudness_lufs, rig.targets.loudness_lufs
    if found is None or abs(found - wanted) <= LOUDNESS_TOLERANCE_LU:
        return
    side = "louder" if found > wanted else "softer"
    yield Trouble(
        side,
        f"The whole is {abs(found - wanted):.0f} LU {side} than wanted",
        f"{minus(found, 1)} LUFS over the last minute; {minus(wanted)} are wanted.",
        abs(found - wanted),
        "Turn the Viewers' fader, or look who is too loud in Balance.",
    )


def delay_grown(moment: Moment, rig: Rig) -> Iterable[Trouble]:
    """A way that has become longer since the evening began."""
    for feed in FEEDS:
        now, then = moment.slow.delay_ms.get(feed), moment.slow.delay_at_start_ms.get(feed)
        if feed == "viewers" and now is not None and then is not None:
            grown = now - then
            if grown > DELAY_GROWN_MS:
                yield Trouble(
                    feed,
                    "The delay has grown",
                    f"{now:.0f} ms to {LISTENERS[feed]}, {grown:.0f} ms more than when you went on air.",
                    grown,
                    "Delay the picture as much, or look into Wiring, Delay.",
                )


Look = Callable[[Moment, Rig], Iterable[Trouble]]


def _always(moment: Moment, rig: Rig) -> bool:
    return True


def is_anybody_shut_out(moment: Moment, rig: Rig) -> bool:
    """Whether there can be talk that is not heard: else it is over at once, and not only after a pause."""
    return bool(_shut_out(moment, rig))


def does_nothing_arrive(moment: Moment, rig: Rig) -> bool:
    """The same, of a voice of which nothing arrives."""
    return moment.reach_dbfs.get("viewers", 0.0) < UNHEARD_DBFS


@dataclass(frozen=True)
class HealthRule:
    """``calm_s``: so long without it, and it is over; what comes back within ``joins_s`` is the same event. Pauses up to
    ``bridges_s`` count against its patience as if it had lasted. What is found by figures is seen up to ``seen_late_s`` late: if
    meanwhile a setting was changed whose path begins with one of ``set_by``, it began, or ended, with that. There ``{voice}`` is the
    main voice and ``{device}`` its device. Heard again, it is best heard ``heard_as``."""

    name: RuleName
    look: Look
    calm_s: float = 1.0
    joins_s: float = 20.0
    bridges_s: float = 0.0
    can_last: Callable[[Moment, Rig], bool] = _always
    seen_late_s: float = 0.0
    set_by: tuple[str, ...] = ()
    heard_as: HeardAs = "was"

    def settings(self, rig: Rig) -> tuple[str, ...]:
        """The beginnings of the paths that bring it about."""
        device = rig.voice.device if rig.voice else ""
        return tuple(one.format(voice=rig.chained, device=device) for one in self.set_by)


_WAYS = ("inputs.", "feeds.", "devices.", "outputs.")
_VOICE = ("inputs.{voice}.", "devices.{device}.")

RULES = (
    # In the order in which they are told, where several stand at once.
    HealthRule(
        "talk_unheard", talk_unheard, calm_s=6.0, can_last=is_anybody_shut_out, heard_as="came"
    ),
    HealthRule("device_lost", device_lost),
    HealthRule(
        "voice_missing", voice_missing, calm_s=6.0, can_last=does_nothing_arrive, heard_as="came"
    ),
    HealthRule("device_silent", device_silent),
    HealthRule("clips", clips, calm_s=3.0),
    HealthRule("echo", echo, calm_s=12.0, seen_late_s=15.0, set_by=_WAYS),
    HealthRule("covered", covered, calm_s=3.0, bridges_s=1.0),
    HealthRule("dropouts", dropouts, calm_s=3.0, joins_s=60.0),
    HealthRule("device_drifts", device_drifts, calm_s=5.0),
    HealthRule("gate_chops", gate_chops, calm_s=12.0, seen_late_s=15.0, set_by=_VOICE),
    HealthRule("limiter_hard", limiter_hard, calm_s=12.0, seen_late_s=20.0, set_by=_VOICE),
    HealthRule(
        "delay_grown", delay_grown, calm_s=3.0, seen_late_s=3.0, set_by=(*_WAYS, "block_frames")
    ),
    HealthRule("ceiling", ceiling, calm_s=1.0),
    HealthRule(
        "loudness_off",
        loudness_off,
        calm_s=20.0,
        joins_s=120.0,
        seen_late_s=65.0,
        set_by=(*_WAYS, "targets."),
    ),
    HealthRule("room_changed", room_changed, calm_s=60.0, joins_s=300.0),
)
