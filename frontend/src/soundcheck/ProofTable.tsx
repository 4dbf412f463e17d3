/** The same takes before and behind the suggested chain, in figures. */

import type { Outcome } from "../api/client";
import { decibels } from "../units/format";
import { t } from "../text/text";

type Figure = Exclude<keyof Outcome["before"], "levels">;
const ROWS: { figure: Figure; name: string; unit: string; digits?: number }[] = [
  { figure: "usual_peak_dbfs", name: t("soundcheck.usualPeaks"), unit: "dBFS" },
  { figure: "spread_db", name: t("soundcheck.quietToLoud"), unit: "dB" },
  { figure: "noise_in_pauses_dbfs", name: t("soundcheck.noiseInPauses"), unit: "dBFS" },
  { figure: "snr_db", name: t("soundcheck.voiceAboveNoise"), unit: "dB" },
  { figure: "cut_syllables", name: t("soundcheck.cutFirstSyllables"), unit: "", digits: 0 },
  { figure: "harshness_db", name: t("soundcheck.harshnessComparedWithAverageSpeech"), unit: "dB" },
  { figure: "integrated_lufs", name: t("soundcheck.loudnessOfTheNormalVoice"), unit: "LUFS" },
  { figure: "true_peak_dbtp", name: t("soundcheck.highestTruePeak"), unit: "dBTP" },
];

export function ProofTable({ outcome }: { outcome: Outcome }) {
  return (
    <>
      <table className="w-full text-[13px]">
        <thead>
          <tr className="text-left text-xs text-quiet">
            <th className="py-1 font-normal">{t("soundcheck.sameTakes")}</th>
            <th className="w-20 text-right font-normal">{t("soundcheck.beforeLower")}</th>
            <th className="w-20 text-right font-normal">{t("soundcheck.afterLower")}</th>
            <td className="w-14" />
          </tr>
        </thead>
        <tbody>
          {ROWS.map(({ figure, name, unit, digits = 1 }) => (
            <tr key={figure} className="border-t border-line">
              <th className="py-1.5 text-left font-normal">{name}</th>
              <td className="figures text-right text-quiet">
                {decibels(outcome.before[figure], digits)}
              </td>
              <td className="figures text-right font-semibold">
                {decibels(outcome.after[figure], digits)}
              </td>
              <td className="pl-2 text-xs text-quiet">{unit}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {outcome.shortfalls.map((text) => (
        <p key={text} className="mt-2 text-[13px]">
          {text}
        </p>
      ))}
    </>
  );
}
