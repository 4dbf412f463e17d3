"""What must be true before going on air, each looked at and told with its number; in the order of the job."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

from pydantic import BaseModel

from goshawk.core.measure.levels import StationLevels
from goshawk.core.rig import Rig
from goshawk.core.routing import FeedName
from goshawk.core.rules.balance import CLEARANCE_TOLERANCE_DB
from goshawk.core.rules.finding import Finding, Mend
from goshawk.core.rules.health.rules import let_hear
from goshawk.core.text.figures import minus

TASKS = Literal["wiring", "sound_check", "chain", "balance", "record"]
ItemState = Literal["good", "open", "waits"]
FRESH = timedelta(hours=12)
"""A sound check of today."""

LOW_PEAKS_DBFS, HIGH_PEAKS_DBFS = -30.0, -6.0
LOUDNESS_TOLERANCE_LU = 2.0
LIPS_MS = 40.0
"""ITU-R BT.1359: sound that is later than the picture by 40 ms and less is hardly noticed."""

FEW_LATE = 5
ENOUGH_S = 4 * 3600.0
"""So long an evening is expected to be."""


class Item(BaseModel):
    """One of the things. ``open`` has a mend, or the task where it is settled; ``waits`` says for what, with how far it is."""

    key: str
    state: ItemState
    title: str
    text: str
    task: TASKS
    mend: Mend | None = None
    progress: float | None = None
    """0 to 1, of what it waits for."""


@dataclass(frozen=True)
class Known:
    """What has been measured so far."""

    rig: Rig
    microphone: StationLevels | None
    device_state: str
    device_title: str
    check_made: datetime | None
    check_drift: str
    now: datetime
    findings: list[Finding]
    reach: Mapping[FeedName, str]
    sentences: Mapping[FeedName, str]
    speech_s: float
    voice_peaks_dbfs: float | None
    clearances_db: dict[str, float | None]
    words: float | None
    loudness_lufs: float | None
    delay_ms: float | None
    late_in_last_minute: int


SPEECH_NEEDED_S = 5.0


def items(known: Known) -> list[Item]:
    """The list, but for what the disk has to say (``disk_item``)."""
    return [
        _microphone(known),
        _check(known),
        _viewers(known),
        _call(known),
        _spoken(known),
        *_near(known),
        _whole(known),
        _delay(known),
        _engine(known),
    ]


def _good(key: str, task: TASKS, title: str, text: str) -> Item:
    return Item(key=key, state="good", task=task, title=title, text=text)


def _waits(key: str, task: TASKS, title: str, text: str, progress: float | None = None) -> Item:
    return Item(key=key, state="waits", task=task, title=title, text=text, progress=progress)


def _open(key: str, task: TASKS, title: str, text: str, mend: Mend | None = None) -> Item:
    return Item(key=key, state="open", task=task, title=title, text=text, mend=mend)


def _microphone(known: Known) -> Item:
    voice, levels = known.rig.voice, known.microphone
    if voice is None or not voice.device:
        return _open(
            "microphone", "wiring", "No microphone yet", "Choose the device of your voice."
        )
    if known.device_state not in ("playing", "waiting"):
        return _open(
            "microphone",
            "wiring",
            "Your microphone is not connected",
            f"{known.device_title or voice.name}: {known.device_state or 'not open'}.",
        )
    peaks = levels.peaks_dbfs if levels else None
    if peaks is None:
        return _waits(
            "microphone",
            "wiring",
            "Your microphone is connected",
            "Say something: its level is not measured yet.",
        )
    where = f"{known.device_title}; usual peaks {minus(peaks)} dBFS at the microphone"
    if not LOW_PEAKS_DBFS <= peaks <= HIGH_PEAKS_DBFS:
        side = "low" if peaks < LOW_PEAKS_DBFS else "high"
        return _open(
            "microphone",
            "wiring",
            f"Your microphone's gain is too {side}",
            f"{where}. Microphone gain in Wiring tells you how far to turn the preamp.",
        )
    return _good("microphone", "wiring", "Your microphone works", where)


def _check(known: Known) -> Item:
    made = known.check_made
    if made is None:
        return _open(
            "check",
            "sound_check",
            "No sound check yet",
            "Record four short takes to get every setting for your voice and room.",
        )
    if known.check_drift:
        return _open("check", "sound_check", "Your room or voice has changed", known.check_drift)
    ago = known.now - made
    if ago > FRESH:
        days = max(1, round(ago / timedelta(days=1)))
        since = "yesterday" if days == 1 else f"{days} days ago"
        return _open(
            "check",
            "sound_check",
            f"The last sound check was {since}",
            "No change of room or voice was measured. Record a take of your normal voice to be sure.",
        )
    return _good(
        "check",
        "sound_check",
        "The sound check is from today",
        "No change of room or voice was measured.",
    )


_PRIVATE_CODES = (
    "private_heard",
    "voice_missing",
    "feed_empty",
    "feed_leaves_nowhere",
    "no_ceiling",
)
_CALL_CODES = ("call_hears_itself", "call_processes", "loop_howls", "heard_twice", "voice_returns")


def _first(known: Known, codes: tuple[str, ...], feed: str = "") -> Finding | None:
    return next(
        (
            one
            for one in known.findings
            if one.code in codes and (not feed or not one.feeds or feed in one.feeds)
        ),
        None,
    )


def _of(found: Finding, key: str, task: TASKS) -> Item:
    return _open(key, task, found.title, found.text, mend=found.mend)


def _viewers(known: Known) -> Item:
    found = _first(known, _PRIVATE_CODES, "viewers")
    if found:
        return _of(found, "viewers", "wiring")
    rig = known.rig
    mend = let_hear(rig, ["viewers"])
    if mend or known.reach.get("viewers") == "closed":
        return _open(
            "viewers",
            "wiring",
            "Viewers do not hear you",
            "You are muted, or on a break." if mend else "Your voice is not sent to viewers.",
            mend=mend,
        )
    return _good(
        "viewers", "wiring", "Viewers hear the right inputs", known.sentences.get("viewers", "")
    )


def _call(known: Known) -> Item:
    rig = known.rig
    if not any(one.role == "call" for one in rig.inputs):
        return _good(
            "call", "wiring", "There is no call", "Add a call in Wiring if somebody talks with you."
        )
    found = _first(known, _CALL_CODES)
    if found:
        return _of(found, "call", "wiring")
    if rig.voice is None or not any(one.device for one in rig.inputs if one.role == "call"):
        return _waits(
            "call",
            "wiring",
            "The call has no device yet",
            "Choose its device if somebody talks with you.",
        )
    if known.reach.get("call") == "closed":
        return _open(
            "call",
            "wiring",
            "The call does not hear you",
            "The Call feed is muted, or your voice is not sent to it.",
            mend=let_hear(rig, ["call"]),
        )
    return _good(
        "call",
        "wiring",
        "The call hears you and not itself",
        "No echo found, and no processing by the call program.",
    )


def _spoken(known: Known) -> Item:
    share = min(1.0, known.speech_s / SPEECH_NEEDED_S)
    if share < 1.0 or known.voice_peaks_dbfs is None:
        return _waits(
            "spoken",
            "balance",
            "Speak a sentence as you will live",
            f"{SPEECH_NEEDED_S:.0f} s of speech are enough to measure peaks, distance and intelligibility.",
            progress=share,
        )
    wanted = known.rig.targets.voice_peaks_dbfs
    off = known.voice_peaks_dbfs - wanted
    words = "" if known.words is None else f" Intelligibility {known.words:.2f}."
    if abs(off) > known.rig.targets.voice_tolerance_db:
        side = "above" if off > 0 else "below"
        return _open(
            "spoken",
            "balance",
            f"Your voice peaks {abs(off):.1f} dB {side} its target",
            f"{minus(known.voice_peaks_dbfs, 1)} dBFS (target {minus(wanted)}).{words}",
        )
    return _good(
        "spoken",
        "balance",
        f"Your voice peaks at {minus(known.voice_peaks_dbfs, 1)} dBFS",
        f"Target {minus(wanted)} dBFS.{words}",
    )


def _near(known: Known) -> list[Item]:
    """Each background input against its target: those that are too near singly, the others in one line."""
    found: list[Item] = []
    good: list[str] = []
    for one in known.rig.inputs:
        clearance = known.clearances_db.get(one.id)
        if one.role == "voice" or clearance is None:
            continue
        wanted = known.rig.targets.clearance_db(one.role)
        short = wanted - clearance
        if short > CLEARANCE_TOLERANCE_DB:
            path = f"inputs.{one.id}.trim_db"
            lower = type(one).held("trim_db", round(one.trim_db - short, 1))
            found.append(
                _open(
                    f"near {one.id}",
                    "balance",
                    f"{one.name} is {short:.1f} dB too close to your voice",
                    f"Your speech peaks are {clearance:.1f} dB above it (target {wanted:.0f}).",
                    mend=Mend(label="Match target", changes={path: lower}),
                )
            )
        else:
            good.append(f"{one.name} {clearance:.1f} dB (target {wanted:.0f})")
    if good:
        title = (
            "Your voice is far enough above everything"
            if not found
            else "Your voice is far enough above the others"
        )
        found.append(_good("near", "balance", title, "; ".join(good) + "."))
    return found


def _whole(known: Known) -> Item:
    rig = known.rig
    ceiling = rig.feeds.viewers.ceiling_dbtp
    title = f"The full mix stays below {minus(ceiling)} dBTP"
    if not rig.feeds.viewers.has_ceiling:
        return _open(
            "whole",
            "balance",
            "The Viewers feed has no ceiling",
            "A shout over a loud game would clip.",
            mend=Mend(label="Turn on the ceiling", changes={"feeds.viewers.has_ceiling": True}),
        )
    found, wanted = known.loudness_lufs, rig.targets.loudness_lufs
    if found is None or known.speech_s < SPEECH_NEEDED_S:
        return _waits("whole", "balance", title, "Its loudness is measured once you have spoken.")
    if abs(found - wanted) > LOUDNESS_TOLERANCE_LU:
        side = "too loud" if found > wanted else "too quiet"
        path = "feeds.viewers.fader_db"
        fader = type(rig.feeds.viewers).held(
            "fader_db", rig.feeds.viewers.fader_db + wanted - found
        )
        return _open(
            "whole",
            "balance",
            f"The full mix is {abs(found - wanted):.1f} LU {side}",
            f"{minus(found, 1)} LUFS so far (target {minus(wanted)}).",
            mend=Mend(label=f"Set fader to {minus(fader, 1)} dB", changes={path: round(fader, 1)}),
        )
    return _good(
        "whole",
        "balance",
        title,
        f"{minus(found, 1)} LUFS so far (target {minus(wanted)}).",
    )


def _delay(known: Known) -> Item:
    delay = known.delay_ms
    if delay is None:
        return _waits("delay", "wiring", "The delay is not measured yet", "")
    late = delay - known.rig.picture_delay_ms
    if late > LIPS_MS:
        return _open(
            "delay",
            "wiring",
            f"Audio is {late:.0f} ms behind video",
            f"Delay the video by {delay:.0f} ms in your broadcasting program, then press the button.",
            mend=Mend(label="I have set this", changes={"picture_delay_ms": float(round(delay))}),
        )
    return _good(
        "delay",
        "wiring",
        f"Delay {delay:.1f} ms",
        f"Audio is {abs(late):.0f} ms {'behind' if late > 0 else 'ahead of'} video. That is not noticeable.",
    )


def _engine(known: Known) -> Item:
    if known.late_in_last_minute > FEW_LATE:
        return _open(
            "engine",
            "wiring",
            f"CPU overloaded: {known.late_in_last_minute} late blocks in the last minute",
            "Close other programs, or choose a larger buffer.",
        )
    return _good(
        "engine",
        "wiring",
        "The CPU keeps up",
        f"Late blocks in the last minute: {known.late_in_last_minute}.",
    )


def disk_item(room_s: float | None, trouble: str) -> Item:
    """Whether an evening can be recorded: room for so many seconds (None: that cannot be told), and what is in the way."""
    if trouble:
        return _open("disk", "record", "Recording is not possible", trouble)
    if room_s is not None and room_s < ENOUGH_S:
        return _open(
            "disk",
            "record",
            f"Disk space for {room_s / 3600:.1f} hours",
            "Free disk space, or choose another folder.",
        )
    hours = "" if room_s is None else f"{room_s / 3600:.0f} hours"
    return _good("disk", "record", "Disk space", hours or "Enough for a broadcast.")
