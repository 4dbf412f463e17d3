"""Findings about the voice's levels on its way through the chain.

Each takes measured figures and the rig and says, in a sentence with a number, what is wrong and the
one setting that mends it.
"""

from collections.abc import Iterable
from dataclasses import dataclass

from goshawk.core.chain_slots import Chain, Slot, StageName
from goshawk.core.device_info import Known, info_of
from goshawk.core.dsp.equaliser import BOLD_BOOST_DB
from goshawk.core.measure.levels import StationLevels
from goshawk.core.rig import Rig, knob
from goshawk.core.routing import InputSettings
from goshawk.core.rules.finding import Finding, Mend
from goshawk.core.text.figures import minus
from goshawk.units import CLIPPED_DBFS

LEAST_GATE_GAP_DB = 3.0
"""Room peaks wander by 2 to 3 dB; a close threshold nearer than this lets them hold the gate open."""

OPEN_OVER_CLOSE_DB = 5.0
"""Hysteresis of a gate for speech: enough that the end of a word does not make it flutter."""

HARD_LIMITING_DB = 4.0
"""A limiter that takes this much off usual speech is heard; the level should fall before it."""

CREST_OF_NOISE_DB = 10.0
"""The greatest sample of 10 ms of steady noise stands about this far above its RMS."""


PREAMP_STEP_DB = 6.0
"""A clipped peak's true height cannot be known; halving the amplitude is the usual first step."""


@dataclass(frozen=True)
class StageHeard:
    """A stage and the levels at its input over the last ten seconds."""

    slot: Slot
    path: str
    """How the stage is named in a change."""
    before: StationLevels


def _finding(
    code: str, title: str, text: str, badness: float = 0.0, mend: Mend | None = None
) -> Finding:
    return Finding(code=code, key=code, title=title, text=text, badness=badness, mend=mend)


def microphone_clips(
    highest_dbfs: float, voice: InputSettings | None, rig: Rig, known: Known
) -> Finding:
    """Clipping at the converter, which no later stage can mend. Some devices' preamps can be
    turned from here; else the sentence is for the hand."""
    mend = None
    preamp_path = info_of(known, voice.device).preamp_path if voice else ""
    if preamp_path:
        lower = max(0.0, knob(rig, preamp_path) - PREAMP_STEP_DB)
        mend = Mend(label=f"Preamp at {lower:.0f} dB", changes={preamp_path: lower})
    return _finding(
        "microphone_clips",
        "The microphone clips",
        f"It reached full scale. Turn its preamp down by {PREAMP_STEP_DB:.0f} dB.",
        highest_dbfs,
        mend,
    )


def gate_findings(heard: StageHeard) -> Iterable[Finding]:
    """Thresholds between the room's loudest moments and the quietest speech, or the sentence why not."""
    if heard.slot.stage != "gate" or heard.slot.is_bypassed:
        return
    settings, before = heard.slot.settings, heard.before
    opens, closes = settings.open_threshold_dbfs, settings.close_threshold_dbfs

    def mend(word: str, name: str, value: float) -> Mend:
        path = f"{heard.path}.settings.{name}_threshold_dbfs"
        return Mend(label=f"{word} {minus(value)}", changes={path: value})

    if before.noise_floor_dbfs is not None:
        room = before.noise_floor_dbfs + CREST_OF_NOISE_DB
        clear = float(round(room + LEAST_GATE_GAP_DB + 1.0))
        if closes < room + LEAST_GATE_GAP_DB and clear <= opens:
            yield _finding(
                "room_holds_gate_open",
                "The room holds the gate open",
                f"The room peaks at {minus(room)} dBFS, too near the gate's closing level "
                f"({minus(closes)}). Raise it to {minus(clear)} dBFS.",
                room - closes,
                mend("Close below", "close", clear),
            )
        elif closes < room + LEAST_GATE_GAP_DB:
            higher = min(0.0, clear + OPEN_OVER_CLOSE_DB)
            yield _finding(
                "room_opens_gate",
                "The room opens the gate",
                f"The room peaks at {minus(room)} dBFS and opens the gate. Raise its opening level to "
                f"{minus(higher)} dBFS, or come nearer to the microphone.",
                room - opens,
                mend("Open above", "open", higher),
            )
    if before.body_low_dbfs is not None and opens > before.body_low_dbfs + CREST_OF_NOISE_DB:
        lower = max(closes, float(round(before.body_low_dbfs)))
        yield _finding(
            "gate_chops_speech",
            "The gate cuts speech",
            f"A quarter of your speech stays under the gate's opening level ({minus(opens)} dBFS) and is "
            f"cut. Lower it to {minus(lower)} dBFS.",
            opens - before.body_low_dbfs,
            mend("Open above", "open", lower),
        )


def limiter_findings(heard: StageHeard) -> Iterable[Finding]:
    """A limiter that works hard in usual speech: the fault is upstream."""
    if heard.slot.stage != "limiter" or heard.slot.is_bypassed or heard.before.peaks_dbfs is None:
        return
    over = heard.before.peaks_dbfs - heard.slot.settings.ceiling_dbtp
    if over > HARD_LIMITING_DB:
        yield _finding(
            "limiter_works_hard",
            "The limiter works hard",
            f"Usual speech meets the limiter {over:.0f} dB above its ceiling. "
            f"Take {over:.0f} dB off the makeup gain before it.",
            over,
        )


WORKS_ALL_THE_TIME_PERCENT = 30.0
"""A ceiling is for what stands out; one that touches a third of all speech is a compressor by mistake."""


def limiter_share_findings(shares: dict[str, float], rig: Rig) -> Iterable[Finding]:
    """A limiter that works all the time. ``shares``: of speech that each limiter touched, in percent, by id."""
    for slot in rig.chain:
        share = shares.get(slot.id, 0.0)
        if slot.stage == "limiter" and share > WORKS_ALL_THE_TIME_PERCENT:
            yield _finding(
                "limiter_works_always",
                "The limiter works all the time",
                f"It touches {share:.0f} % of your speech. The level before it is too high: lower the "
                "compressor's makeup gain, or let the compressor take more.",
                share,
            )


def order_findings(chain: Chain) -> Iterable[Finding]:
    """Orders that are usually mistakes. They are allowed, and said, with the reason."""
    working = [slot for slot in chain if not slot.is_bypassed]
    kinds = [slot.stage for slot in working]

    def comes_before(first: StageName, second: StageName) -> bool:
        return first in kinds and second in kinds and kinds.index(first) < kinds.index(second)

    if comes_before("compressor", "gate"):
        yield _finding(
            "compressor_before_gate",
            "The compressor comes before the gate",
            "It lifts the room towards the voice, so that the gate can hardly tell them apart. "
            "Move the gate ahead of it.",
        )
    ahead_of_suppressor: tuple[tuple[StageName, str], ...] = (
        ("gate", "The gate hides the room from it in every pause, so it cannot follow."),
        ("compressor", "The compressor moves the room up and down, so it cannot follow."),
    )
    for earlier, reason in ahead_of_suppressor:
        if comes_before(earlier, "suppressor"):
            yield _finding(
                f"suppressor_after_{earlier}",
                f"The suppressor comes after the {earlier}",
                f"{reason} Move the suppressor ahead of the {earlier}.",
            )
            break
    followers: tuple[StageName, ...] = ("gate", "compressor")
    for later in followers:
        if comes_before(later, "high_pass"):
            yield _finding(
                f"high_pass_after_{later}",
                f"The high-pass comes after the {later}",
                f"Rumble that it would take away still moves the {later}. Move the high-pass ahead.",
            )
            break


def eq_findings(slot: Slot, path: str) -> Iterable[Finding]:
    """Boosts that are bold: they lift the room too."""
    if slot.stage != "eq" or slot.is_bypassed:
        return
    settings = slot.settings
    bands = {f"bell_{i}": band for i, band in enumerate(settings.bells, 1) if band.is_on}
    gains = {name: band.gain_db for name, band in bands.items()}
    for name in ("low_shelf", "high_shelf"):
        shelf = getattr(settings, name)
        if shelf.is_on:
            gains[name] = shelf.gain_db
    if not gains:
        return
    boldest = max(gains, key=lambda name: gains[name])
    if gains[boldest] > BOLD_BOOST_DB:
        yield _finding(
            "bold_boost",
            "The EQ lifts a band boldly",
            f"A boost of {gains[boldest]:.0f} dB lifts the room as well. More than "
            f"{BOLD_BOOST_DB:.0f} dB is seldom the voice's fault: cut beside it, or move the microphone.",
            gains[boldest],
            Mend(
                label=f"{BOLD_BOOST_DB:.0f} dB there",
                changes={f"{path}.settings.{boldest}.gain_db": BOLD_BOOST_DB},
            ),
        )


def staging_findings(stations: dict[str, StationLevels], rig: Rig, known: Known) -> list[Finding]:
    """All findings of the voice's way, from the microphone on."""
    found = [*order_findings(rig.chain)]
    before = "microphone"
    highest = stations[before].highest_peak_dbfs
    if highest is not None and highest >= CLIPPED_DBFS:
        found.insert(0, microphone_clips(highest, rig.voice, rig, known))
    for slot in rig.chain:
        if slot.id not in stations:
            continue
        heard = StageHeard(slot, rig.stage_path(slot.id), stations[before])
        found.extend(eq_findings(slot, heard.path))
        found.extend(gate_findings(heard))
        found.extend(limiter_findings(heard))
        before = slot.id
    return found
