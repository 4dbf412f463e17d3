/** The levels of the room and the three voices on one scale, before and behind the suggested chain. */

import { useCallback } from "react";
import type { Outcome } from "../api/client";
import { keptApart } from "../ui/axes";
import { colour, FIGURES_FONT, hatch, Picture, TEXT_FONT } from "../ui/Picture";
import { signless } from "../units/format";
import { t } from "../text/text";

const LOWEST_DBFS = -90;
const TOP = 18;
const VOICES = ["low", "usual", "big"];

export function LevelsPicture({ outcome, wanted }: { outcome: Outcome; wanted: number }) {
  const paint = useCallback(
    (canvas: CanvasRenderingContext2D, width: number, height: number) => {
      const bottom = height - 8;
      const y = (db: number) => TOP + (db / LOWEST_DBFS) * (bottom - TOP);
      canvas.font = FIGURES_FONT;
      canvas.textBaseline = "middle";
      canvas.textAlign = "right";
      for (let db = 0; db >= LOWEST_DBFS; db -= 10) {
        canvas.strokeStyle = colour("line");
        canvas.globalAlpha = 0.6;
        canvas.beginPath();
        canvas.moveTo(34, Math.round(y(db)) + 0.5);
        canvas.lineTo(width - 6, Math.round(y(db)) + 0.5);
        canvas.stroke();
        canvas.globalAlpha = 1;
        canvas.fillStyle = colour("quiet");
        canvas.fillText(signless(db, 0), 28, y(db));
      }
      const half = (width - 40) / 2;
      const sides = [
        { proof: outcome.before, left: 40, name: t("soundcheck.beforeLower") },
        { proof: outcome.after, left: 40 + half, name: t("soundcheck.afterSameTakes") },
      ];
      const highest = Math.max(
        0.02,
        ...sides.flatMap(({ proof }) => VOICES.flatMap((kind) => proof.levels[kind] ?? [])),
      );
      for (const { proof, left, name } of sides) {
        canvas.font = TEXT_FONT;
        canvas.textAlign = "left";
        canvas.fillStyle = colour("quiet");
        canvas.fillText(name, left + 2, 7);
        for (const kind of ["room", ...VOICES]) {
          const shares = proof.levels[kind] ?? [];
          // The room hardly moves: its narrow hill would hide everything beside it.
          const most = kind === "room" ? Math.max(...shares, 0.02) : highest;
          const reach = half * (kind === "room" ? 0.32 : 0.52);
          canvas.beginPath();
          canvas.moveTo(left, y(LOWEST_DBFS));
          shares.forEach((share, i) => {
            canvas.lineTo(left + (share / most) * reach, y(LOWEST_DBFS + i + 0.5));
          });
          canvas.lineTo(left, y(0));
          canvas.closePath();
          canvas.fillStyle = kind === "room" ? hatch(canvas) : colour("voice");
          canvas.globalAlpha = kind === "room" ? 1 : 0.38;
          canvas.fill();
          canvas.globalAlpha = 1;
          canvas.strokeStyle = colour(kind === "room" ? "noise" : "voice");
          canvas.lineWidth = 1.2;
          canvas.stroke();
        }
        labelVoices(canvas, left + 6, bottom - 8, y, proof);
        bracket(canvas, left + half * 0.62, y, proof);
      }
      canvas.strokeStyle = colour("text");
      canvas.setLineDash([5, 4]);
      canvas.beginPath();
      canvas.moveTo(40 + half, y(wanted));
      canvas.lineTo(width - 6, y(wanted));
      canvas.stroke();
      canvas.setLineDash([]);
      canvas.font = TEXT_FONT;
      canvas.textAlign = "right";
      canvas.fillStyle = colour("text");
      const are = outcome.after.usual_peak_dbfs;
      canvas.fillText(
        t("soundcheck.peaksAreTargetTarget", {
          are: are === null ? "–" : signless(are, 1),
          target: signless(wanted, 0),
        }),
        width - 8,
        y(wanted) - 9,
      );
    },
    [outcome, wanted],
  );
  const { before, after } = outcome;
  return (
    <Picture
      paint={paint}
      label={t("soundcheck.levelsOfRoomAndVoice", {
        before: before.spread_db?.toFixed(0) ?? "–",
        after: after.spread_db?.toFixed(0) ?? "–",
      })}
      className="h-[330px] w-full"
    />
  );
}

type Proof = Outcome["before"];

const kindLabel = (kind: string) =>
  kind === "low" || kind === "usual" || kind === "big"
    ? t(`soundcheck.kinds.${kind}`)
    : t("soundcheck.kinds.room");

const LABEL_APART = 13;

/** Each hill's name at its crest, from the top; one that would lie on another goes below it. */
function labelVoices(
  canvas: CanvasRenderingContext2D,
  x: number,
  lowest: number,
  y: (db: number) => number,
  proof: Proof,
) {
  const places = [...VOICES, "room"].flatMap((kind) => {
    const shares = proof.levels[kind] ?? [];
    return shares.length ? [{ kind, at: Math.min(y(crestOf(shares)), lowest) }] : [];
  });
  const heights = keptApart(
    places.map(({ at }) => at),
    LABEL_APART,
  );
  canvas.fillStyle = colour("text");
  places.forEach(({ kind }, i) => canvas.fillText(kindLabel(kind), x, heights[i] ?? 0));
}

/** The level that is met most often. */
const crestOf = (shares: number[]) => LOWEST_DBFS + shares.indexOf(Math.max(...shares)) + 0.5;

/** From low to big, and from the usual voice to the noise in its pauses. */
function bracket(
  canvas: CanvasRenderingContext2D,
  x: number,
  y: (db: number) => number,
  proof: Proof,
) {
  const crest = (kind: string) => crestOf(proof.levels[kind] ?? []);
  const draw = (from: number, to: number, at: number, label: string, isStrong: boolean) => {
    canvas.strokeStyle = canvas.fillStyle = colour(isStrong ? "text" : "quiet");
    canvas.lineWidth = isStrong ? 1.6 : 1.1;
    canvas.beginPath();
    canvas.moveTo(at - 6, y(from));
    canvas.lineTo(at, y(from));
    canvas.lineTo(at, y(to));
    canvas.lineTo(at - 6, y(to));
    canvas.stroke();
    canvas.font = isStrong ? `600 ${FIGURES_FONT}` : FIGURES_FONT;
    canvas.textAlign = "left";
    canvas.fillText(label, at + 5, (y(from) + y(to)) / 2);
  };
  if (proof.spread_db !== null)
    draw(crest("big"), crest("low"), x, `${proof.spread_db.toFixed(0)} dB`, true);
  if (proof.snr_db !== null && proof.noise_in_pauses_dbfs !== null)
    draw(
      crest("usual"),
      Math.max(LOWEST_DBFS, proof.noise_in_pauses_dbfs),
      x + 50,
      proof.snr_db.toFixed(0),
      false,
    );
}
