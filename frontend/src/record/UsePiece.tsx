/** What a piece of a recording is good for: a take of the sound check, the loop in Chain, the replay in Balance. */

import { askRecordings, type Piece, type RecordingDetail } from "../api/client";
import { say, tell } from "../live/store";
import { Button } from "../ui/Button";
import { Popover } from "../ui/Popover";
import { clock } from "../units/format";
import { openTask, type Task } from "../view";
import { pause, type Span } from "../live/recordingPlayer";

const TAKES: { kind: NonNullable<Piece["kind"]>; label: string }[] = [
  { kind: "room", label: "the room" },
  { kind: "low", label: "the low voice" },
  { kind: "usual", label: "the usual voice" },
  { kind: "big", label: "the big voice" },
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
    <Popover label="Use it" className="w-72" trigger={<Button>Use it…</Button>}>
      <p className="mb-2 text-xs text-quiet">
        {piece
          ? `The piece from ${clock(piece.from)} to ${clock(piece.to)}`
          : "The whole. Choose a piece first to use a part of it."}
      </p>
      <p className="text-xs text-quiet">As a take of the sound check</p>
      <div className="mt-1 mb-3 flex flex-wrap gap-1.5">
        {TAKES.map(({ kind, label }) => (
          <Button
            key={kind}
            onClick={() =>
              void use({ use: "take", kind }, "Sound check", "The piece is a take now.")
            }
          >
            {label}
          </Button>
        ))}
      </div>
      <div className="flex flex-col items-start gap-1.5">
        <Button
          onClick={() =>
            void use(
              { use: "loop", kind: null },
              "Chain",
              "The piece loops in your microphone's place, to you alone.",
            )
          }
        >
          Loop it in Chain
        </Button>
        <Button
          onClick={() =>
            void use(
              { use: "replay", kind: null },
              "Balance",
              "The piece is replayed in place of all inputs, to you alone.",
            )
          }
        >
          Replay it in Balance
        </Button>
      </div>
    </Popover>
  );
}
