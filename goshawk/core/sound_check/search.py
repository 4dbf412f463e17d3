"""Compressor, makeup and limiter: the takes are passed through them until spread and peaks are as wished."""

from dataclasses import replace
from typing import Any

import numpy as np

from goshawk.core.chain_slots import CompressorSlot, LimiterSlot, Slot, TrimSlot
from goshawk.core.dsp.compressor import CompressorSettings
from goshawk.core.dsp.trim import TrimSettings
from goshawk.core.measure.levels import SPEECH
from goshawk.core.measure.take import VOICES, hops_of
from goshawk.core.rules.sound_check import stages
from goshawk.core.rules.sound_check.advice import SPREAD_DB, Advice
from goshawk.core.sound_check.outcome import Proof
from goshawk.core.sound_check.plan import CheckPlan
from goshawk.core.sound_check.takes import Sounds
from goshawk.units import db_to_linear

MOST_SEARCHES = 5


def _shifted(slot: Slot, by_db: float) -> Slot:
    """A stage as it must be if the sound arrives louder by ``by_db``, or the trim that makes it so."""
    settings: Any = slot.settings
    match slot.stage:
        case "trim":
            update = {"gain_db": round(settings.gain_db + by_db, 1)}
        case "gate":
            update = {
                name: round(settings.held(name, getattr(settings, name) + by_db), 1)
                for name in ("open_threshold_dbfs", "close_threshold_dbfs")
            }
        case "suppressor" if settings.room:
            levels = tuple(round(level + by_db, 1) for level in settings.room.levels_db)
            update = {"room": settings.room.model_copy(update={"levels_db": levels})}
        case _:
            return slot
    return slot.model_copy(update={"settings": settings.model_copy(update=update)})


class Search(CheckPlan):
    """Compressor, makeup and limiter, found together."""

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
                makeup = settings.held("makeup_gain_db", settings.makeup_gain_db + gain)
                louder = np.float32(db_to_linear(makeup - settings.makeup_gain_db))
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
        was = trim.settings.gain_db
        miss = TrimSettings.held("gain_db", round(was + miss, 1)) - was
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
        louder = np.float32(db_to_linear(miss))
        self.sounds = {kind: sound * louder for kind, sound in self.sounds.items()}
