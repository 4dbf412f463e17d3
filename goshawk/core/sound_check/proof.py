"""What became of the voice: the same figures before and after."""

from typing import Any

import numpy as np

from goshawk.core.dsp.zones import ZONES
from goshawk.core.measure.levels import SPEECH
from goshawk.core.measure.long_term_spectrum import (
    REFERENCE_DB,
    THIRD_CENTRES_HZ,
    mean_power,
    thirds_db,
    zone_db,
)
from goshawk.core.measure.loudness import loudness_lufs
from goshawk.core.measure.take import VOICES
from goshawk.core.measure.true_peak import TruePeakMeter
from goshawk.core.sound_check.outcome import Proof, VoiceSpectrum
from goshawk.core.sound_check.takes import Sounds, TakesHeard, measure_levels
from goshawk.core.stage import Floats


class Proving(TakesHeard):
    """Figures of the takes, raw or behind the suggested chain."""

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
