/** What is recorded, in which format, under which name, and where: kept with the rig. */

import { useState } from "react";
import { setSetting, setTogether } from "../live/link";
import { useLive } from "../live/store";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { Popover } from "../ui/Popover";
import { trackColour } from "./waves";
import { t } from "../text/text";

const FORMATS = [
  { value: "flac" as const, label: "FLAC" },
  { value: "wav" as const, label: "WAV" },
  { value: "opus" as const, label: t("record.opusSmallFiles") },
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
    <Popover
      label={t("record.tracks")}
      className="w-[400px]"
      trigger={<Button>{t("record.tracksMenu")}</Button>}
    >
      <fieldset>
        <legend className="mb-1 text-xs text-quiet">{t("record.oneFilePerTrackAll")}</legend>
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
          {t("record.resetToTheDefaultTracks")}
        </button>
      )}
      <div className="mt-3 border-t border-line pt-3">
        <p className="mb-1 text-xs text-quiet">{t("record.format")}</p>
        <Choice
          label={t("record.format")}
          value={recording.format}
          options={FORMATS}
          onChange={(value) => setSetting("recording.format", value)}
        />
      </div>
      <TypedText
        key={recording.pattern}
        label={t("record.name")}
        help={t("record.namePattern")}
        value={recording.pattern}
        onChange={(value) => setSetting("recording.pattern", value)}
      />
      {facts.preview_trouble ? (
        <p role="alert" className="text-xs text-over-strong">
          ▲ {facts.preview_trouble}
        </p>
      ) : (
        <p className="text-xs text-quiet">{t("record.nextName", { name: facts.preview })}</p>
      )}
      <TypedText
        key={recording.folder || facts.default_folder}
        label={t("record.folder")}
        help={t("record.emptyTheDefaultFolder")}
        value={recording.folder}
        placeholder={facts.default_folder}
        onChange={(value) => setSetting("recording.folder", value)}
      />
      <p className="mt-2 text-xs text-quiet">{t("record.timesOfMuteBreakAnd")}</p>
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
