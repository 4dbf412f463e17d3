"""The rules, one function each: a moment and the rig in, what is wrong now out."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from goshawk.core.rig import Rig
from goshawk.core.routing import FEEDS, FeedName
from goshawk.core.rules.finding import Mend
from goshawk.core.rules.health.moment import Moment
from goshawk.core.text import alerts
from goshawk.core.text.alerts import AlertText
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


@dataclass(frozen=True)
class Trouble:
    """Something that is wrong in a moment: whose, its text, how bad it is, its fix. ``share`` of the moment counts against the
    rule's patience. One that is not sure (``is_sure``) is measured once more before the alert. ``since_s``: the second of the
    broadcast at which it began, if that was before it could be measured."""

    subject: str
    said: AlertText
    badness: float = 0.0
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
    return Mend(label=alerts.let_hear(list(feeds)), changes=changes) if changes else None


def _why_unheard(rig: Rig, moment: Moment, feed: FeedName) -> str:
    voice = rig.voice
    if voice is not None and voice.is_muted:
        return alerts.is_muted(voice.name)
    if rig.is_on_break and feed == "viewers":
        return alerts.CUT_OFF_BY_BREAK
    if rig.feeds.of(feed).is_muted:
        return alerts.feed_is_muted(feed)
    if voice is not None and not voice.sends.to(feed).is_heard:
        return alerts.is_not_sent(feed)
    if moment.playing != "devices":
        return alerts.CUT_OFF_BY_LOOP
    return alerts.CUT_OFF_BY_COUGH


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
    mend = let_hear(rig, shut)
    why = _why_unheard(rig, moment, shut[0])
    yield Trouble(
        "+".join(shut),
        alerts.talk_unheard(list(shut), why, mend.label if mend else ""),
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
            alerts.VOICE_MISSING,
            UNHEARD_DBFS - reach,
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
            alerts.clips(found.text if found else ""),
            moment.microphone_dbfs,
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
        yield Trouble("viewers", alerts.mix_limiter(moment.ceiling_db), moment.ceiling_db)


def device_lost(moment: Moment, rig: Rig) -> Iterable[Trouble]:
    """An input without its device."""
    for one in rig.inputs:
        device = moment.devices.get(one.id)
        if device is not None and device.state not in (*PLAYS, "ended"):
            yield Trouble(one.id, alerts.device_lost(one.name, device.state, device.said))


def device_silent(moment: Moment, rig: Rig) -> Iterable[Trouble]:
    """A microphone that gives nothing but noughts although its device plays."""
    voice = rig.voice
    device = moment.devices.get(rig.chained)
    plays = device is not None and device.state == "playing"
    if voice is not None and plays and moment.microphone_dbfs < SILENT_DBFS:
        yield Trouble(voice.id, alerts.DEVICE_SILENT)


def _by_codes(moment: Moment, codes: tuple[str, ...], *, is_sure: bool = True) -> Iterable[Trouble]:
    for found in moment.slow.findings:
        if found.code in codes:
            yield Trouble(
                found.key.partition(":")[2] or found.code,
                AlertText(found.title, found.text, found.mend.label if found.mend else ""),
                found.badness,
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
        yield Trouble("", alerts.sound_lost(moment.missed_s), moment.missed_s)
    for one in rig.inputs:
        device = moment.devices.get(one.id)
        if device is not None and device.dropouts:
            yield Trouble(
                one.id, alerts.dropouts(one.name, device.dropouts), float(device.dropouts)
            )


def room_changed(moment: Moment, rig: Rig) -> Iterable[Trouble]:
    """Room or voice, far from those of the sound check."""
    if moment.slow.drift:
        yield Trouble("", alerts.room_changed(moment.slow.drift))


def covered(moment: Moment, rig: Rig) -> Iterable[Trouble]:
    """Peaks of another input that reach those of the voice, while it speaks."""
    if not moment.is_speaking:
        return
    for one in rig.inputs:
        over_db = moment.over_db.get(one.id)
        if over_db is None or one.role == "voice" or over_db >= 0.0:
            continue
        wanted = rig.targets.clearance_db(one.role)
        yield Trouble(one.id, alerts.covered(one.name, -over_db, wanted), -over_db)


def loudness_off(moment: Moment, rig: Rig) -> Iterable[Trouble]:
    """The whole beside its target."""
    found, wanted = moment.slow.loudness_lufs, rig.targets.loudness_lufs
    if found is None or abs(found - wanted) <= LOUDNESS_TOLERANCE_LU:
        return
    side = "louder" if found > wanted else "softer"
    yield Trouble(side, alerts.loudness_off(found, wanted), abs(found - wanted))


def delay_grown(moment: Moment, rig: Rig) -> Iterable[Trouble]:
    """A way that has become longer since the evening began."""
    for feed in FEEDS:
        now, then = moment.slow.delay_ms.get(feed), moment.slow.delay_at_start_ms.get(feed)
        if feed == "viewers" and now is not None and then is not None:
            grown = now - then
            if grown > DELAY_GROWN_MS:
                yield Trouble(feed, alerts.delay_grown(feed, now, grown), grown)


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
