/** Every mark of a recording by its time: named, jumped to, taken away. */

import { X } from "lucide-react";
import { useState } from "react";
import type { Mark } from "../api/client";
import { Button } from "../ui/Button";
import { IconButton } from "../ui/IconButton";
import { Popover } from "../ui/Popover";
import { clock } from "../units/format";
import { t } from "../text/text";

type Props = {
  marks: Mark[];
  onName: (number: number, name: string | null) => void;
  onJump?: (seconds: number) => void;
};

export function MarksMenu({ marks, onName, onJump }: Props) {
  return (
    <Popover
      label={t("record.marks")}
      className="w-80"
      trigger={<Button>{t("record.markCount", { count: marks.length })}…</Button>}
    >
      {marks.length === 0 && (
        <p className="text-[13px] text-quiet">{t("record.noMarksYetPressK")}</p>
      )}
      <ul className="flex flex-col gap-1.5">
        {marks.map((mark) => (
          <li key={mark.id} className="flex items-center gap-2">
            <MarkTime mark={mark} onJump={onJump} />
            <MarkName key={mark.name} mark={mark} onName={onName} />
            <IconButton
              label={t("record.deleteTheMarkAtTime", { time: clock(mark.frame / 48_000) })}
              onClick={() => onName(mark.id, null)}
            >
              <X size={14} />
            </IconButton>
          </li>
        ))}
      </ul>
    </Popover>
  );
}

function MarkTime({ mark, onJump }: { mark: Mark; onJump: Props["onJump"] }) {
  const at = mark.frame / 48_000;
  if (!onJump) return <span className="figures text-xs text-quiet">{clock(at)}</span>;
  return (
    <button
      type="button"
      className="figures text-xs underline"
      title={t("record.playFromHere")}
      onClick={() => onJump(at)}
    >
      {clock(at)}
    </button>
  );
}

function MarkName({ mark, onName }: { mark: Mark; onName: Props["onName"] }) {
  const [name, setName] = useState(mark.name);
  const save = () => name.trim() !== mark.name && onName(mark.id, name.trim());
  return (
    <input
      aria-label={t("record.nameOfTheMarkAt", { time: clock(mark.frame / 48_000) })}
      value={name}
      placeholder={mark.by === "you" ? t("record.addAName") : t("record.byGoshawk")}
      maxLength={120}
      onChange={(event) => setName(event.target.value)}
      onBlur={save}
      onKeyDown={(event) => event.key === "Enter" && save()}
      className="min-w-0 flex-1 rounded bg-raised px-2 py-1 text-[13px]"
    />
  );
}
