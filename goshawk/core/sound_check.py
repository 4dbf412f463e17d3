"""The sound check: takes of a voice and its room in; a chain for them out, with the reasons and the proof.

Each stage is planned from what really arrives at it, by the rules in ``rules.sound_check``, and the takes are
passed through it before the next one is planned. Compressor, makeup and limiter are found together, by
passing the takes through them until spread and peaks are as wished. What cannot be met is said.
"""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from pydantic import BaseModel, ValidationError

from goshawk.core.chain_slots import (
    Chain,
    CompressorSlot,
    DeEsserSlot,
    EqSlot,
    GateSlot,
    HighPassSlot,
    LimiterSlot,
    Slot,
    SuppressorSlot,
    TrimSlot,
)
from goshawk.core.dsp.compressor import CompressorSettings
from goshawk.core.dsp.de_esser import DeEsser, DeEsserSettings
from goshawk.core.dsp.suppressor import LearnedRoom
from goshawk.core.dsp.trim import TrimSettings
from goshawk.core.measure.levels import HOP_FRAMES, PAUSE, SPEECH
from goshawk.core.measure.long_term_spectrum import (
    REFERENCE_DB,
    THIRD_CENTRES_HZ,
    ZONES,
    above_reference_db,
    common_resonance,
    mean_power,
    thirds_db,
    zone_db,
)
from goshawk.core.measure.loudness import loudness_lufs
from goshawk.core.measure.room import learn_room, settled
from goshawk.core.measure.stage_work import LOST_DB, first_syllable_losses
from goshawk.core.measure.take import (
    SETTLE_HOPS,
    VOICES,
    Activity,
    TakeFigures,
    TakeKind,
    activity_of,
    hops_of,
    level_shares,
    measure_take,
    power_level_db,
)
from goshawk.core.measure.true_peak import TruePeakMeter
from goshawk.core.rules.finding import minus
from goshawk.core.rules.sound_check import stages
from goshawk.core.rules.sound_check.advice import (
    SPREAD_DB,
    Advice,
    Confidence,
    Suggestion,
    Wish,
    left_out,
)
from goshawk.core.rules.sound_check.found import (
    VOICE_WEIGHTS,
    TakeFinding,
    room_findings,
    voice_findings,
)
from goshawk.core.settings import Settings, sentence_of
from goshawk.core.stage import Block, Floats
from goshawk.core.takes import render
from goshawk.errors import BadInput
from goshawk.units import SAMPLE_RATE_HZ

LONGEST_TAKE_S = 15.0
PEAKS_TOLERANCE_DB = 1.5
SPREAD_TOLERANCE_DB = 2.0
LEAST_NOISE_FALL_DB = 15.0
MOST_SEARCHES = 5
BODY_DB = 12.0
"""Softer moments of a voice are lost in a room that is near it."""

PRESET_NAME = "Sound check"

Tell = Callable[[str, float], None]
Sounds = dict[TakeKind, Block]


class AdviceShown(BaseModel):
    """What is advised for one stage, as it is shown."""

    stage: str
    title: str
    reason: str
    confidence: Confidence
    is_needed: bool
    is_refused: bool = False
    suggestions: list[Suggestion] = []


class Proof(BaseModel):
    """Figures of the takes, raw or behind the suggested chain; ``snr_db`` is from usual speech to the noise in its
    pauses; ``cut_syllables`` are first syllables that lost more than 3 dB over their first 50 ms. ``levels``
    as in ``TakeFigures``, by take."""

    usual_peak_dbfs: float | None
    spread_db: float | None
    noise_in_pauses_dbfs: float | None
    snr_db: float | None
    true_peak_dbtp: float | None
    integrated_lufs: float | None
    harshness_db: float | None
    cut_syllables: int
    levels: dict[str, list[float]] = {}


class VoiceSpectrum(BaseModel):
    """Long-term levels in thirds of an octave: the voice and the room as they arrive, in dBFS, the voice behind the
    chain brought to the same level, and speech in general (Byrne et al. 1994) at that level."""

    centres_hz: list[float]
    voice_db: list[float]
    after_db: list[float]
    room_db: list[float]
    reference_db: list[float]


class Outcome(BaseModel):
    """All that a sound check gives."""

    takes: dict[str, TakeFigures]
    findings: list[TakeFinding]
    advice: list[AdviceShown]
    suggestions: list[Suggestion]
    spectrum: VoiceSpectrum
    before: Proof
    after: Proof
    shortfalls: list[str]
    chain: Chain


def measured(takes: Sounds) -> dict[TakeKind, TakeFigures]:
    """Figures of every take, each of shape (frames, 1)."""
    return {kind: measure_take(kind, sound, activity_of(sound)) for kind, sound in takes.items()}


def shortened(sound: Block) -> Block:
    """No more than LONGEST_TAKE_S of a take: more would tell little and take long."""
    return np.ascontiguousarray(sound[: round(LONGEST_TAKE_S * SAMPLE_RATE_HZ)])


def run_sound_check(takes: Sounds, wish: Wish, tell: Tell = lambda text, share: None) -> Outcome:
    """Measure, plan, and prove. ``takes``: room, low, usual, big and perhaps keys, each of shape (frames, 1) at
    48 kHz. Raises BadInput if one is missing, or a voice cannot be heard in its take."""
    return run_with_sound(takes, wish, tell)[0]


def run_with_sound(takes: Sounds, wish: Wish, tell: Tell) -> tuple[Outcome, Sounds]:
    """As ``run_sound_check``, and the takes as they come out of the suggested chain."""
    missing = [kind for kind in ("room", *VOICES) if kind not in takes]
    if missing:
        raise BadInput(f"The take {missing[0]!r} is missing. Give room, low, usual and big.")
    check = _Check({kind: shortened(sound) for kind, sound in takes.items()}, wish, tell)
    return check.run(), check.sounds


def describe(outcome: Outcome, wish: Wish) -> str:
    """A sentence for the preset."""
    before, after = outcome.before, outcome.after
    return (
        f"Computed from takes of one voice: {wish.steadiness.replace('_', ' ')}, "
        f"{'over a game' if wish.is_over_game else 'talk alone'}. From low to big voice "
        f"{before.spread_db:.0f} dB became {after.spread_db:.0f}, usual peaks reach "
        f"{minus(after.usual_peak_dbfs or 0.0, 1)} dBFS."
    )


@dataclass
class _Check:
    """One run; ``sounds`` is what arrives at the next stage."""

    takes: Sounds
    wish: Wish
    tell: Tell
    sounds: Sounds = field(default_factory=dict)
    activity: dict[TakeKind, Activity] = field(default_factory=dict)
    figures: dict[TakeKind, TakeFigures] = field(default_factory=dict)
    advice: list[Advice] = field(default_factory=list)
    slots: list[Slot] = field(default_factory=list)
    has_compressor: bool = False
    cut: int = 0

    def run(self) -> Outcome:
        self.tell("Measuring the takes", 0.0)
        self.activity = {kind: activity_of(sound) for kind, sound in self.takes.items()}
        for kind, sound in self.takes.items():
            self.figures[kind] = measure_take(kind, sound, self.activity[kind])
        for kind in VOICES:
            if self.figures[kind].speech_level_dbfs is None:
                raise BadInput(
                    f"No voice stands out of the room in the take {kind!r}. Take it again, nearer to the "
                    "microphone."
                )
        before = self.proof(self.takes, 0)
        self.plan(0.0)
        after = self.finish()
        if self.noise_fell(before, after) < LEAST_NOISE_FALL_DB and self.could_take_more():
            self.plan(stages.MOST_REDUCTION_DB)
            after = self.finish()
        self.tell("Done", 1.0)
        shown = [self.shown(one) for one in self.advice]
        return Outcome(
            takes=dict(self.figures),
            findings=[*room_findings(self.figures["room"]), *voice_findings(self.figures)],
            advice=shown,
            suggestions=[s for one in shown if one.is_needed for s in one.suggestions],
            spectrum=self.spectrum(),
            before=before,
            after=after,
            shortfalls=self.shortfalls(before, after),
            chain=tuple(self.slots),
        )

    # --- passing the takes on --------------------------------------------------------------------

    def passed(self, slot: Slot, sounds: Sounds) -> Sounds:
        """The takes behind one stage, its latency taken out."""
        out: Sounds = {}
        for kind, sound in sounds.items():
            late = np.concatenate([sound, np.zeros((HOP_FRAMES * 4, 1), np.float32)])
            rendered, latency = render(late, (slot,))
            out[kind] = rendered[latency : latency + len(sound)]
        return out

    def decide(self, advice: Advice) -> Slot | None:
        """Note an advice; its stage's place in the chain with what the user adjusted, or None."""
        if advice.stage in self.wish.refused:
            # What is refused stays listed, so that it can be accepted again.
            self.advice.append(advice)
            return None
        settings = self.adjusted(advice)
        title = advice.title
        if settings is not None and settings != advice.settings:
            changed = replace(advice, settings=settings).suggestions()
            own = [one for one in changed if f"{one.stage}.{one.setting}" in self.wish.adjusted]
            title = ", ".join(f"{one.value:g} {one.unit}".replace("-", "−") for one in own)
        self.advice.append(replace(advice, title=title, settings=settings))
        if settings is None:
            return None
        slot: Slot = _SLOTS[advice.stage](id=advice.stage, settings=settings)
        return slot

    def adjusted(self, advice: Advice) -> Settings | None:
        if advice.settings is None:
            return None
        document = advice.settings.model_dump()
        for name in advice.names:
            value = self.wish.adjusted.get(f"{advice.stage}.{name}")
            if value is not None:
                *parents, last = name.split(".")
                place = document
                for parent in parents:
                    place = place[parent]
                place[last] = value
        try:
            return type(advice.settings).model_validate(document)
        except ValidationError as error:
            raise sentence_of(error, advice.stage, document) from None

    def add(self, advice: Advice) -> None:
        """Plan a stage and pass the takes through it."""
        slot = self.decide(advice)
        if slot:
            self.slots.append(slot)
            self.sounds = self.passed(slot, self.sounds)

    # --- figures ---------------------------------------------------------------------------------

    def peaks(self, kind: TakeKind, share: float, sounds: Sounds | None = None) -> float:
        """A percentile of the 10 ms peaks: in speech, or of the whole quiet take."""
        peak = hops_of((sounds or self.sounds)[kind])[1]
        peak = peak[self.activity[kind] == SPEECH] if kind in VOICES else peak[SETTLE_HOPS:]
        return float(np.percentile(peak, share))

    def level(self, kind: TakeKind, sounds: Sounds) -> float:
        """Speech level, of the moments no more than BODY_DB under the loud ones: in a take that is near the noise
        the softer ones cannot be told, and the voices' levels must be comparable."""
        rms = hops_of(sounds[kind])[0][self.activity[kind] == SPEECH]
        return power_level_db(rms[rms > np.percentile(rms, 95) - BODY_DB]) or 0.0

    def noise(self, sounds: Sounds) -> float:
        """Median level in the pauses of the usual take, or of the room if it has too few."""
        pauses = hops_of(sounds["usual"])[0][self.activity["usual"] == PAUSE]
        if len(pauses) < 50:
            pauses = hops_of(sounds["room"])[0][SETTLE_HOPS:]
        return float(np.median(pauses))

    def under_speech(self) -> float:
        """From usual speech down to the room, now."""
        room = hops_of(self.sounds["room"])[0][SETTLE_HOPS:]
        return self.level("usual", self.sounds) - float(np.median(room))

    def compressor_takes_db(self) -> float:
        """By about how much a compressor will bring speech nearer to the room: by what it takes off the spread."""
        spread = self.spread(self.takes)
        return max(0.0, spread - SPREAD_DB[self.wish.steadiness]) if self.has_compressor else 0.0

    def spread(self, sounds: Sounds) -> float:
        return self.level("big", sounds) - self.level("low", sounds)

    def above_reference(self, kinds: dict[TakeKind, float], sounds: Sounds) -> Floats:
        """Mean of the voices' thirds above the reference, weighted."""
        total, weight = np.zeros(len(THIRD_CENTRES_HZ)), 0.0
        for kind, share in kinds.items():
            power = mean_power(sounds[kind][:, 0].astype(float), self.activity[kind] == SPEECH)
            if power is not None:
                total += share * above_reference_db(thirds_db(power))
                weight += share
        return total / max(weight, 1.0)

    @property
    def lowest_note(self) -> float | None:
        notes = [self.figures[kind].pitch_low_hz for kind in VOICES]
        return min((note for note in notes if note), default=None)

    # --- the plan --------------------------------------------------------------------------------

    def plan(self, least_reduction_db: float) -> None:
        """The stages up to the de-esser; ``sounds`` then is what arrives at the compressor."""
        self.advice, self.slots, self.sounds = [], [], dict(self.takes)
        wish, usual = self.wish, self.figures["usual"]
        assert usual.usual_peaks_dbfs is not None
        assert usual.highest_peak_dbfs is not None
        spread = self.spread(self.takes)
        self.has_compressor = (
            stages.needs_compressor(spread, wish.steadiness) and "compressor" not in wish.refused
        )
        self.advice.append(stages.plan_preamp(usual.usual_peaks_dbfs, usual.highest_peak_dbfs))
        self.add(
            stages.plan_trim(usual.usual_peaks_dbfs, self.has_compressor, wish.voice_peaks_dbfs)
        )
        self.tell("Under the voice", 0.15)
        thumps = sum(self.figures[kind].thumps for kind in VOICES)
        self.add(stages.plan_high_pass(self.lowest_note, *self.rumble_under_speech(), thumps))
        self.tell("The room", 0.2)
        has_gate_after = wish.is_over_game and "gate" not in wish.refused
        self.add(
            stages.plan_suppressor(
                self.under_speech(), self.learned_room(), has_gate_after, least_reduction_db
            )
        )
        self.tell("The gate", 0.55)
        self.add_gate()
        self.tell("The tone", 0.65)
        speech_s = sum(self.figures[kind].speech_s for kind in VOICES)
        above = self.above_reference(VOICE_WEIGHTS, self.sounds)
        rings = common_resonance([self.figures[kind].resonances for kind in VOICES])
        self.add(stages.plan_eq(above, self.lowest_note, speech_s, rings))
        self.add(stages.plan_de_esser(self.sharpest()))

    def rumble_under_speech(self) -> tuple[float, float]:
        """By how much what lies under the voice is softer than the usual speech: in that speech, and in the
        room."""
        speech = self.level("usual", self.sounds)
        found = []
        for kind in ("usual", "room"):
            wanted = self.activity[kind] == (SPEECH if kind == "usual" else PAUSE)
            power = mean_power(self.sounds[kind][:, 0].astype(float), wanted)
            if power is None:
                found.append(100.0)
                continue
            hz = np.arange(len(power)) * SAMPLE_RATE_HZ / (2 * (len(power) - 1))
            under = hz < stages.UNDER_LOWEST_NOTE * (self.lowest_note or 100.0)
            found.append(speech - float(10.0 * np.log10(max(power[under].sum(), 1e-16))))
        return found[0], found[1]

    def learned_room(self) -> LearnedRoom | None:
        """The room as it arrives here; None if it is not steady enough."""
        return learn_room(settled(self.sounds["room"][:, 0].astype(np.float64))).room

    def add_gate(self) -> None:
        """The gate; lower, or none, if it cuts first syllables."""
        heard = stages.GateInput(
            room_peaks_dbfs=self.peaks("room", 99),
            quiet_peaks_dbfs=self.peaks("low", 20),
            keys_peaks_dbfs=self.peaks("keys", 90) if "keys" in self.sounds else None,
            under_speech_db=self.under_speech(),
            compressor_takes_db=self.compressor_takes_db(),
            is_over_game=self.wish.is_over_game,
        )
        voices = {kind: self.sounds[kind] for kind in VOICES}
        self.cut = 0
        for lower_by in (0.0, 4.0, 8.0, 12.0):
            advice = stages.plan_gate(heard, lower_by)
            settings = self.adjusted(advice)
            if settings is None or "gate" in self.wish.refused:
                break
            trial: Slot = _SLOTS["gate"](id="gate", settings=settings)
            self.cut = self.cut_syllables(voices, self.passed(trial, voices))
            if not self.cut or settings != advice.settings:
                break
        else:
            self.cut = 0
            advice = left_out(
                "gate", "At any threshold over the room it would cut first syllables.", "sure"
            )
        self.add(advice)

    def cut_syllables(self, before: Sounds, after: Sounds) -> int:
        """First syllables that lost more than LOST_DB between two places."""
        count = 0
        for kind in VOICES:
            levels = [np.stack(hops_of(one[kind]), axis=1) for one in (before, after)]
            count += len(first_syllable_losses(levels[0], levels[1], self.activity[kind]))
        return count

    def sharpest(self) -> float:
        """The 98th percentile, over the usual speech, of what the de-esser's detector reads."""
        stage = DeEsser(
            DeEsserSettings(frequency_hz=stages.DE_ESSER_HZ, amount_db=0.0), 1, HOP_FRAMES
        )
        activity, sound, ratios = self.activity["usual"], self.sounds["usual"].copy(), []
        for number in range(len(activity)):
            stage.process(sound[number * HOP_FRAMES : (number + 1) * HOP_FRAMES])
            ratios.append(stage.take_reading()["sibilance_db"])
        return float(np.percentile(np.array(ratios)[activity == SPEECH], 98))

    # --- compressor, makeup, limiter -------------------------------------------------------------

    def finish(self) -> Proof:
        """Compressor and limiter, and the proof."""
        self.tell("The spread", 0.72)
        if self.has_compressor:
            self.search()
        elif stages.needs_compressor(self.spread(self.takes), self.wish.steadiness):
            self.offer_compressor()
            self.correct_trim()
        else:
            self.decide(stages.no_compressor(self.spread(self.takes), self.wish.steadiness))
            self.correct_trim()
        self.decide(stages.plan_leveller())
        limiter = self.decide(stages.plan_limiter(self.wish.ceiling_dbtp))
        if limiter:
            self.slots.append(limiter)
            self.sounds = self.passed(limiter, self.sounds)
        self.tell("The proof", 0.95)
        return self.proof(self.sounds, self.cut)

    def search(self) -> None:
        """Ratio and makeup by passing the takes through compressor and limiter until spread and peaks are as
        wished."""
        wish, wanted = self.wish, SPREAD_DB[self.wish.steadiness]
        voices: Sounds = {kind: self.sounds[kind] for kind in VOICES}
        spread = self.spread(voices)
        threshold, ratio = self.first_curve(spread)
        limiter = stages.plan_limiter(wish.ceiling_dbtp).settings
        makeup, after = 0.0, spread
        for number in range(MOST_SEARCHES):
            settings = self.as_adjusted(
                stages.compressor_for(threshold, ratio, makeup, wish.steadiness)
            )
            out = self.passed(CompressorSlot(id="compressor", settings=settings), voices)
            gain = wish.voice_peaks_dbfs - self.peaks("usual", 95, out)
            # The makeup is a gain behind the curve: no need to pass the takes again for it.
            if "compressor.makeup_gain_db" not in wish.adjusted:
                makeup = max(0.0, min(30.0, settings.makeup_gain_db + gain))
                louder = np.float32(10.0 ** ((makeup - settings.makeup_gain_db) / 20.0))
                out = {kind: sound * louder for kind, sound in out.items()}
                settings = settings.model_copy(update={"makeup_gain_db": round(makeup, 1)})
            if "limiter" not in wish.refused:
                out = self.passed(LimiterSlot(id="limiter", settings=limiter), out)
            after = self.spread(out)
            self.tell("The spread", 0.72 + 0.04 * number)
            miss = after - wanted
            if abs(miss) < 0.4 or "compressor.ratio" in wish.adjusted:
                break
            # Behind the threshold the spread goes with 1 / ratio.
            ratio = max(1.05, min(stages.MOST_RATIO, ratio * max(0.5, after) / wanted))
            if miss > 0.0 and ratio >= 6.0:
                threshold -= 2.0
        self.compressed(settings, spread, after)

    def first_curve(self, spread: float) -> tuple[float, float]:
        """Threshold and ratio from which the search begins."""
        threshold = self.peaks("low", 95) - stages.THRESHOLD_UNDER_LOW_DB
        low, big = (
            hops_of(self.sounds[kind])[1][self.activity[kind] == SPEECH][::3]
            for kind in ("low", "big")
        )
        wanted = SPREAD_DB[self.wish.steadiness]
        return threshold, stages.first_ratio(low, big, threshold, spread, wanted)

    def offer_compressor(self) -> None:
        """What a refused compressor would be."""
        spread = self.spread(self.sounds)
        threshold, ratio = self.first_curve(spread)
        settings = stages.compressor_for(threshold, ratio, 0.0, self.wish.steadiness)
        self.compressed(settings, spread, SPREAD_DB[self.wish.steadiness])

    def as_adjusted(self, settings: CompressorSettings) -> CompressorSettings:
        names = ("threshold_dbfs", "ratio", "makeup_gain_db", "attack_ms", "release_ms")
        given = self.adjusted(Advice("compressor", "", "", settings=settings, names=names))
        assert isinstance(given, CompressorSettings)
        return given

    def compressed(self, settings: CompressorSettings, spread: float, after: float) -> None:
        self.add(
            stages.say_compressor(
                settings, spread, after, self.peaks("usual", 95), self.peaks("big", 95)
            )
        )

    def correct_trim(self) -> None:
        """Without a compressor the trim alone brings the peaks to the target: by what the stages after it
        changed. Gate and learned room move along."""
        miss = self.wish.voice_peaks_dbfs - self.peaks("usual", 95)
        if "trim" in self.wish.refused or "trim.gain_db" in self.wish.adjusted:
            return
        trim = next((slot for slot in self.slots if isinstance(slot, TrimSlot)), None)
        if trim is None and abs(miss) >= stages.NO_MOVE_DB:
            made_up = stages.make_up_trim(0.0, miss)
            assert isinstance(made_up.settings, TrimSettings)
            trim = TrimSlot(id="trim", settings=made_up.settings)
            self.slots.insert(0, trim)
            self.advice = [made_up if one.stage == "trim" else one for one in self.advice]
        if trim is None or abs(miss) < 0.3:
            return
        miss = max(-30.0, min(40.0, round(trim.settings.gain_db + miss, 1))) - trim.settings.gain_db
        self.slots = [_shifted(slot, miss) for slot in self.slots]
        settings: dict[str, Any] = {slot.stage: slot.settings for slot in self.slots}
        for number, one in enumerate(self.advice):
            if one.stage in settings:
                moved = settings[one.stage]
                title = one.title
                reason = one.reason
                if one.stage == "trim":
                    title = stages.say_gain(moved.gain_db)
                    reason = reason.replace("dBFS.", "dBFS behind the whole chain.")
                elif one.stage == "gate":
                    title = stages.say_thresholds(moved)
                self.advice[number] = replace(one, title=title, reason=reason, settings=moved)
        louder = np.float32(10.0 ** (miss / 20.0))
        self.sounds = {kind: sound * louder for kind, sound in self.sounds.items()}

    # --- the proof -------------------------------------------------------------------------------

    def proof(self, sounds: Sounds, cut: int) -> Proof:
        peaks = []
        for kind in VOICES:
            meter = TruePeakMeter(1, len(sounds[kind]))
            meter.measure(np.ascontiguousarray(sounds[kind]))
            peaks.append(meter.take_dbtp())
        usual_level, noise = self.level("usual", sounds), self.noise(sounds)
        tone = self.above_reference({"usual": 1.0}, sounds)
        harshness = zone_db(tone, next(zone for zone in ZONES if zone.name == "harshness"))
        figures: dict[str, Any] = {
            "usual_peak_dbfs": self.peaks("usual", 95, sounds),
            "spread_db": self.spread(sounds),
            "noise_in_pauses_dbfs": noise,
            "snr_db": usual_level - noise,
            "true_peak_dbtp": max(peaks),
            "integrated_lufs": loudness_lufs(sounds["usual"]),
            "harshness_db": harshness,
            "levels": {
                kind: measure_levels(kind, sounds[kind], self.activity[kind]) for kind in sounds
            },
        }
        rounded = {k: round(v, 2) if isinstance(v, float) else v for k, v in figures.items()}
        return Proof(**rounded, cut_syllables=cut)

    def spectrum(self) -> VoiceSpectrum:
        """Of the usual voice."""
        voice = np.array(self.figures["usual"].thirds_db)
        room = np.array(self.figures["room"].thirds_db)
        inside = np.abs(np.log2(THIRD_CENTRES_HZ / 1000.0)) < 2.4
        power = mean_power(
            self.sounds["usual"][:, 0].astype(float), self.activity["usual"] == SPEECH
        )
        after = voice if power is None else thirds_db(power)

        def level_with_voice(levels: Floats) -> list[float]:
            moved: list[float] = (levels + (voice - levels)[inside].mean()).round(1).tolist()
            return moved

        return VoiceSpectrum(
            centres_hz=THIRD_CENTRES_HZ.round(1).tolist(),
            voice_db=voice.round(1).tolist(),
            after_db=level_with_voice(after),
            room_db=room.round(1).tolist(),
            reference_db=level_with_voice(REFERENCE_DB),
        )

    def noise_fell(self, before: Proof, after: Proof) -> float:
        return (after.snr_db or 0.0) - (before.snr_db or 0.0)

    def could_take_more(self) -> bool:
        slot = next((one for one in self.slots if one.stage == "suppressor"), None)
        return (
            slot is not None
            and slot.settings.reduction_db < stages.MOST_REDUCTION_DB
            and "suppressor.reduction_db" not in self.wish.adjusted
        )

    def shortfalls(self, before: Proof, after: Proof) -> list[str]:
        """What was not reached, and what in the room or the hand would help."""
        said: list[str] = []
        wish = self.wish
        peak = after.usual_peak_dbfs
        if peak is not None and abs(peak - wish.voice_peaks_dbfs) > PEAKS_TOLERANCE_DB:
            said.append(
                f"Usual peaks reach {minus(peak, 1)} dBFS instead of {minus(wish.voice_peaks_dbfs, 1)}. "
                + ("Turn the preamp up." if peak < wish.voice_peaks_dbfs else "Turn it down.")
            )
        wanted = SPREAD_DB[wish.steadiness]
        if after.spread_db is not None and after.spread_db > wanted + SPREAD_TOLERANCE_DB:
            said.append(
                f"From low to big voice {after.spread_db:.0f} dB are left instead of {wanted:.0f}. Come nearer "
                "to the microphone for low voice, lean back for a shout."
            )
        fell = self.noise_fell(before, after)
        if fell < LEAST_NOISE_FALL_DB:
            was, now = before.snr_db or 0.0, after.snr_db or 0.0
            said.append(
                f"The room was {was:.0f} dB under your voice and is {now:.0f} dB under it now: there was little to take."
                if was > stages.INAUDIBLE_UNDER_SPEECH_DB - 5.0
                else f"The noise in your pauses falls by only {max(0.0, fell):.0f} dB beside the voice. "
                + (
                    "Voices and knocks cannot be told from yours: a nearer microphone or a quieter place "
                    "would help."
                    if self.learned_room() is None
                    else "A quieter fan, or a nearer microphone with less gain, would help."
                )
            )
        if after.cut_syllables:
            said.append(
                f"{after.cut_syllables} first syllables lose more than {LOST_DB:.0f} dB in the gate. Leave the gate out, or "
                "lower where it opens."
            )
        return said

    def shown(self, one: Advice) -> AdviceShown:
        return AdviceShown(
            stage=one.stage,
            title=one.title,
            reason=one.reason,
            confidence=one.confidence,
            is_needed=one.settings is not None and one.stage not in self.wish.refused,
            is_refused=one.stage in self.wish.refused,
            suggestions=one.suggestions(),
        )


def measure_levels(kind: TakeKind, sound: Block, activity: Activity) -> list[float]:
    """Distribution of levels as in ``TakeFigures``."""
    rms = hops_of(sound)[0]
    return level_shares(rms[activity == SPEECH] if kind in VOICES else rms[SETTLE_HOPS:])


def _shifted(slot: Slot, by_db: float) -> Slot:
    """A stage as it must be if the sound arrives louder by ``by_db``, or the trim that makes it so."""
    settings: Any = slot.settings
    match slot.stage:
        case "trim":
            update = {"gain_db": round(settings.gain_db + by_db, 1)}
        case "gate":
            update = {
                name: round(max(-80.0, min(0.0, getattr(settings, name) + by_db)), 1)
                for name in ("open_threshold_dbfs", "close_threshold_dbfs")
            }
        case "suppressor" if settings.room:
            levels = tuple(round(level + by_db, 1) for level in settings.room.levels_db)
            update = {"room": settings.room.model_copy(update={"levels_db": levels})}
        case _:
            return slot
    return slot.model_copy(update={"settings": settings.model_copy(update=update)})


_SLOTS: dict[str, Any] = {
    "trim": TrimSlot,
    "high_pass": HighPassSlot,
    "suppressor": SuppressorSlot,
    "gate": GateSlot,
    "eq": EqSlot,
    "de_esser": DeEsserSlot,
    "compressor": CompressorSlot,
    "limiter": LimiterSlot,
}
