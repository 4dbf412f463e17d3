"""One sound check from its takes to its outcome; what cannot be met is said."""

from goshawk.core.measure.levels import HOP_FRAMES
from goshawk.core.measure.stage_work import LOST_DB
from goshawk.core.measure.take import VOICES, activity_of, measure_take
from goshawk.core.rules.sound_check import stages
from goshawk.core.rules.sound_check.advice import SPREAD_DB, Advice
from goshawk.core.rules.sound_check.found import room_findings, voice_findings
from goshawk.core.sound_check.outcome import AdviceShown, Outcome, Proof
from goshawk.core.sound_check.search import Search
from goshawk.core.text.figures import minus
from goshawk.errors import BadInput

PEAKS_TOLERANCE_DB = 1.5


SPREAD_TOLERANCE_DB = 2.0


LEAST_NOISE_FALL_DB = 15.0


class Check(Search):
    """One run: measured, planned, searched, proved."""

    def run(self) -> Outcome:
        self.tell("Measuring the takes", 0.0)
        for kind, sound in self.takes.items():
            known = self.known.get(kind)
            if known is None or len(known) != len(sound) // HOP_FRAMES:
                known = activity_of(sound)
            self.activity[kind] = known
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
