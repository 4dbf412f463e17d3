/** What is recorded, in which format, under which name, and where: kept with the rig. */

import { useState } from "react";
import { setSetting, setTogether } from "../live/link";
import { useLive } from "../live/store";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { Popover } from "../ui/Popover";
import { trackColour } from "./waves";

const FORMATS = [
  { value: "flac" as const, label: "FLAC" },
  { value: "wav" as const, label: "WAV" },
  { value: "opus" as const, label: "Opus, small" },
];

export function TracksMenu() {
  const facts = useLive((live) => live.state?.record);
  const recording = useLive((live) => live.state?.rig.recording);
  if (!facts || !recording) return null;
  const toggle = (source: string) => {
    const chosen = facts.chosen.includes(source)
      ? facts.chosen.filter((one) => one !== source)
      : [...facts.chosen, source];
    setTogether({ "recording.tracks": chosen });
  };
  return (
    <Popover label="Tracks" className="w-[400px]" trigger={<Button>Tracks…</Button>}>
      <fieldset>
        <legend className="mb-1 text-xs text-quiet">
          A file for each, all in time with each other
        </legend>
        <ul className="grid grid-cols-2 gap-x-3 gap-y-1 text-[13px]">
          {facts.offered.map(({ source, name, role }) => (
            <li key={source}>
              <label className="flex items-center gap-2">
                <input
                  type="checkbox"
                  className="size-4 accent-(--voice-strong)"
                  checked={facts.chosen.includes(source)}
                  onChange={() => toggle(source)}
                />
                <span
                  aria-hidden
                  className="h-3 w-1 rounded"
                  style={{ background: `var(--${trackColour(role)})` }}
                />
                {name}
              </label>
            </li>
          ))}
        </ul>
      </fieldset>
      {recording.tracks && (
        <button
          type="button"
          className="mt-1.5 text-xs underline"
          onClick={() => setTogether({ "recording.tracks": null })}
        >
          Back to the usual tracks
        </button>
      )}
      <div className="mt-3 border-t border-line pt-3">
        <p className="mb-1 text-xs text-quiet">Format</p>
        <Choice
          label="Format"
          value={recording.format}
          options={FORMATS}
          onChange={(value) => setSetting("recording.format", value)}
        />
      </div>
      <TypedText
        key={recording.pattern}
        label="Name"
        help="{date}, {time} and {rig} are filled in"
        value={recording.pattern}
        onChange={(value) => setSetting("recording.pattern", value)}
      />
      {facts.preview_trouble ? (
        <p role="alert" className="text-xs text-over-strong">
          ▲ {facts.preview_trouble}
        </p>
      ) : (
        <p className="text-xs text-quiet">The next one: {facts.preview}</p>
      )}
      <TypedText
        key={recording.folder || facts.default_folder}
        label="Folder"
        help="empty: the usual one"
        value={recording.folder}
        placeholder={facts.default_folder}
        onChange={(value) => setSetting("recording.folder", value)}
      />
      <p className="mt-2 text-xs text-quiet">
        What is muted, on break or coughed away is silent in its tracks too.
      </p>
    </Popover>
  );
}

type TextProps = {
  label: string;
  help: string;
  value: string;
  placeholder?: string;
  onChange: (value: string) => void;
};

function TypedText({ label, help, value, placeholder, onChange }: TextProps) {
  const [draft, setDraft] = useState(value);
  const save = () => draft.trim() !== value && onChange(draft.trim());
  return (
    <label className="mt-3 block text-xs text-quiet">
      {label} <span>({help})</span>
      <input
        value={draft}
        placeholder={placeholder}
        onChange={(event) => setDraft(event.target.value)}
        onBlur={save}
        onKeyDown={(event) => event.key === "Enter" && save()}
        className="mt-0.5 mb-1 w-full rounded bg-raised px-2 py-1 text-[13px] text-text"
      />
    </label>
  );
}
