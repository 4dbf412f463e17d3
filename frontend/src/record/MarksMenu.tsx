/** Every mark of a recording by its time: named, jumped to, taken away. */

import { X } from "lucide-react";
import { useState } from "react";
import type { Mark } from "../api/client";
import { Button } from "../ui/Button";
import { IconButton } from "../ui/IconButton";
import { Popover } from "../ui/Popover";
import { clock } from "../units/format";

type Props = {
  marks: Mark[];
  onName: (number: number, name: string | null) => void;
  onJump?: (seconds: number) => void;
};

export function MarksMenu({ marks, onName, onJump }: Props) {
  return (
    <Popover
      label="Marks"
      className="w-80"
      trigger={<Button>{marks.length === 1 ? "1 mark" : `${marks.length} marks`}…</Button>}
    >
      {marks.length === 0 && <p className="text-[13px] text-quiet">No marks yet. K puts one.</p>}
      <ul className="flex flex-col gap-1.5">
        {marks.map((mark) => (
          <li key={mark.id} className="flex items-center gap-2">
            <MarkTime mark={mark} onJump={onJump} />
            <MarkName key={mark.name} mark={mark} onName={onName} />
            <IconButton
              label={`Take away the mark at ${clock(mark.frame / 48_000)}`}
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
      title="Play from here"
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
      aria-label={`Name of the mark at ${clock(mark.frame / 48_000)}`}
      value={name}
      placeholder={mark.by === "you" ? "name it" : "by Goshawk"}
      maxLength={120}
      onChange={(event) => setName(event.target.value)}
      onBlur={save}
      onKeyDown={(event) => event.key === "Enter" && save()}
      className="min-w-0 flex-1 rounded bg-raised px-2 py-1 text-[13px]"
    />
  );
}
