import { ArrowDown, ArrowUp, Trash2, X } from "lucide-react";
import { useState } from "react";
import type { InputSettings, Role } from "../api/client";
import { ask, setSetting } from "../live/link";
import { useLive } from "../live/store";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { IconButton } from "../ui/IconButton";
import { ROLE_LABELS, ROLES } from "../ui/roles";
import { Select } from "../ui/Select";
import { Toggle } from "../ui/Toggle";
import { openChain, openInput } from "../view";
import { DeviceKnobs } from "./DeviceKnobs";
import { DevicePicker } from "./DevicePicker";
import { t } from "../text/text";

const CHANNELS = [
  { value: "left", label: t("wiring.left") },
  { value: "right", label: t("wiring.right") },
  { value: "sum", label: t("wiring.sum") },
  { value: "stereo", label: t("wiring.stereo") },
];

export const panelId = "chosen-input";
export const rowId = (inputId: string) => `input-${inputId}`;

/** The keyboard goes on where it came from. */
function close(inputId: string) {
  openInput(null);
  document.getElementById(rowId(inputId))?.focus();
}

/** One input: its name, what it is, and where its sound comes from. */
export function InputPanel({ input }: { input: InputSettings }) {
  const chained = useLive((live) => live.state?.rig.chained);
  const path = `inputs.${input.id}`;
  const isChained = chained === input.id;
  const device = useLive((live) => live.state?.devices.find(({ id }) => id === input.device));
  return (
    <section
      id={panelId}
      tabIndex={-1}
      aria-label={t("wiring.inputName", { name: input.name })}
      onKeyDown={(event) => {
        // Lists that open from here close themselves first.
        const isHere = event.currentTarget.contains(event.target as Node);
        if (event.key === "Escape" && isHere && !event.defaultPrevented) close(input.id);
      }}
      className="rounded-lg bg-panel p-3.5 text-[13px] outline-none"
    >
      <div className="flex items-center gap-1">
        <NameField key={input.name} path={`${path}.name`} name={input.name} />
        <IconButton label={t("wiring.moveUp")} onClick={() => move(input, -1)}>
          <ArrowUp size={15} />
        </IconButton>
        <IconButton label={t("wiring.moveDown")} onClick={() => move(input, 1)}>
          <ArrowDown size={15} />
        </IconButton>
        <IconButton
          label={t("wiring.removeName", { name: input.name })}
          onClick={() => {
            openInput(null);
            ask({ type: "remove_input", input_id: input.id });
          }}
        >
          <Trash2 size={15} />
        </IconButton>
        <IconButton label={t("wiring.close")} onClick={() => close(input.id)}>
          <X size={15} />
        </IconButton>
      </div>
      <div className="mt-2 flex items-center gap-3">
        <span className="w-16 text-quiet">{t("wiring.role")}</span>
        <Select
          label={t("wiring.role")}
          value={input.role}
          groups={[{ options: ROLES.map((role) => ({ value: role, label: ROLE_LABELS[role] })) }]}
          onChange={(role) => setSetting(`${path}.role`, role as Role)}
          className="flex-1"
        />
      </div>
      {input.role === "voice" && (
        <div className="mt-2 flex items-center gap-3">
          <span className="w-16 text-quiet">{t("wiring.voice")}</span>
          <Button
            aria-pressed={isChained}
            look={isChained ? "main" : "plain"}
            title={t("wiring.theSoundCheckTheTarget")}
            className="flex-1 py-1!"
            onClick={() => setSetting("chained", isChained ? "" : input.id)}
          >
            {isChained ? t("wiring.mainVoice") : t("wiring.makeMainVoice")}
          </Button>
        </div>
      )}
      <div className="mt-2 flex items-center gap-3">
        <span className="w-16 text-quiet">{t("wiring.chain")}</span>
        <Button className="flex-1 py-1!" onClick={() => openChain(input.id)}>
          {t("wiring.openChain")}
        </Button>
      </div>
      <p className="mt-3 mb-1 text-quiet">{t("wiring.device")}</p>
      <DevicePicker input={input} />
      {device && (device.knobs === "page" || device.knobs === "file") && (
        <div className="mt-2 rounded-md bg-raised/50 p-2">
          <DeviceKnobs device={device} />
        </div>
      )}
      <p className="mt-3 mb-1 text-quiet">{t("wiring.channels")}</p>
      <Choice
        label={t("wiring.channels")}
        value={input.channels}
        options={CHANNELS}
        onChange={(channels) => setSetting(`${path}.channels`, channels)}
      />
      <div className="mt-2">
        <Toggle path={`${path}.is_private`} />
      </div>
    </section>
  );
}

function move(input: InputSettings, by: number) {
  ask({ type: "move_input", input_id: input.id, by });
}

/** The name can be typed over; Enter or leaving keeps it, Escape takes the old one back. */
function NameField({ path, name }: { path: string; name: string }) {
  const [draft, setDraft] = useState(name);
  return (
    <input
      aria-label={t("wiring.nameOfTheInput")}
      value={draft}
      onChange={(event) => setDraft(event.target.value)}
      onBlur={() => {
        if (draft !== name) setSetting(path, draft);
        // What was refused is not shown as if it were kept.
        setDraft(name);
      }}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") {
          event.preventDefault(); // It takes the name back, and does not close what it stands in.
          setDraft(name);
        }
      }}
      className="min-w-0 flex-1 rounded bg-transparent px-1 text-base font-semibold hover:bg-raised focus:bg-raised"
    />
  );
}
