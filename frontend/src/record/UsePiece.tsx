/** What a piece of a recording is good for: a take of the sound check, the loop in Chain, the replay in Balance. */

import { askRecordings, type Piece, type RecordingDetail } from "../api/client";
import { say, tell } from "../live/store";
import { Button } from "../ui/Button";
import { Popover } from "../ui/Popover";
import { clock } from "../units/format";
import { openTask, type Task } from "../view";
import { pause, type Span } from "../live/recordingPlayer";
import { t } from "../text/text";

const TAKES: { kind: NonNullable<Piece["kind"]>; label: string }[] = [
  { kind: "room", label: t("record.room") },
  { kind: "low", label: t("record.quietVoice") },
  { kind: "usual", label: t("record.normalVoice") },
  { kind: "big", label: t("record.loudVoice") },
];

export function UseMenu({ one, piece }: { one: RecordingDetail; piece: Span | null }) {
  const use = async (what: Pick<Piece, "use" | "kind">, task: Task, said: string) => {
    const span = piece ?? { from: 0, to: one.seconds };
    pause();
    try {
      await askRecordings(`/${one.id}/use`, "POST", {
        ...what,
        from_s: span.from,
        to_s: span.to,
      });
      say("news", said);
      openTask(task);
    } catch (error) {
      tell(error);
    }
  };
  return (
    <Popover
      label={t("record.useIn")}
      className="w-72"
      trigger={<Button>{t("record.useInMenu")}</Button>}
    >
      <p className="mb-2 text-xs text-quiet">
        {piece
          ? t("record.selectionFromFromToTo", { from: clock(piece.from), to: clock(piece.to) })
          : t("record.theWholeRecordingSelectA")}
      </p>
      <p className="text-xs text-quiet">{t("record.asATakeOfThe")}</p>
      <div className="mt-1 mb-3 flex flex-wrap gap-1.5">
        {TAKES.map(({ kind, label }) => (
          <Button
            key={kind}
            onClick={() =>
              void use({ use: "take", kind }, "sound_check", t("record.theSelectionIsNowA"))
            }
          >
            {label}
          </Button>
        ))}
      </div>
      <div className="flex flex-col items-start gap-1.5">
        <Button
          onClick={() =>
            void use({ use: "loop", kind: null }, "chain", t("record.theSelectionLoopsInPlace"))
          }
        >
          {t("record.loopInChain")}
        </Button>
        <Button
          onClick={() =>
            void use(
              { use: "replay", kind: null },
              "balance",
              t("record.theSelectionReplaysInPlace"),
            )
          }
        >
          {t("record.replayInBalance")}
        </Button>
      </div>
    </Popover>
  );
}
