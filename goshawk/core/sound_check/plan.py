"""The stages up to the de-esser, each planned from what really arrives at it."""

from dataclasses import dataclass, field, replace

from pydantic import ValidationError

from goshawk.core.chain_slots import SLOTS, Slot
from goshawk.core.measure.long_term_spectrum import common_resonance
from goshawk.core.measure.take import VOICES
from goshawk.core.rules.sound_check import stages
from goshawk.core.rules.sound_check.advice import Advice, left_out
from goshawk.core.rules.sound_check.found import VOICE_WEIGHTS
from goshawk.core.settings import Settings, sentence_of
from goshawk.core.sound_check.proof import Proving


@dataclass
class CheckPlan(Proving):
    """Stage by stage up to the de-esser: each is planned from what arrives at it, and the takes pass through it."""

    advice: list[Advice] = field(default_factory=list)
    slots: list[Slot] = field(default_factory=list)
    cut: int = 0

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
        slot: Slot = SLOTS[advice.stage](id=advice.stage, settings=settings)
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
                self.under_speech(),
                self.learned_room(),
                has_gate_after,
                least_reduction_db,
                moves_db=self.room_moves_db(),
                has_keys="keys" in self.sounds,
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
            trial: Slot = SLOTS["gate"](id="gate", settings=settings)
            self.cut = self.cut_syllables(voices, self.passed(trial, voices))
            if not self.cut or settings != advice.settings:
                break
        else:
            self.cut = 0
            advice = left_out(
                "gate", "At any threshold over the room it would cut first syllables.", "sure"
            )
        self.add(advice)
