/** Presets: which one the chain came from, whether it has changed since, and all that can be done with them. */

import { Copy, Download, FolderInput, GitCompare, Pencil, Save, Trash2 } from "lucide-react";
import { useRef, useState, type FormEvent } from "react";
import { askPresets, type InputSettings, type PresetInfo } from "../api/client";
import { ask } from "../live/link";
import { tell, useLive } from "../live/store";
import { Button } from "../ui/Button";
import { IconButton } from "../ui/IconButton";
import { Popover } from "../ui/Popover";
import { t } from "../text/text";

const run = (...given: Parameters<typeof askPresets>) => askPresets(...given).catch(tell);

export function PresetMenu({ input }: { input: InputSettings }) {
  const presets = useLive((live) => live.state?.presets) ?? [];
  const isChanged = useLive((live) => live.state?.changed_presets.includes(input.id) ?? false);
  const presetId = input.preset_id;
  const present = presets.find(({ id }) => id === presetId);
  return (
    <div className="flex items-center gap-2">
      <Popover
        label={t("chain.presets")}
        className="w-[440px]"
        trigger={
          <Button className="max-w-64 truncate" title={t("chain.presetsWholeChainsSavedBy")}>
            {t("chain.preset")} <strong>{present?.name ?? t("chain.none")}</strong>
          </Button>
        }
      >
        <PresetList presets={presets} input={input} />
      </Popover>
      <span role="status" className="text-xs text-quiet">
        {present && (isChanged ? t("chain.changed") : t("chain.asSaved"))}
      </span>
      {present?.is_own && isChanged && (
        <Button
          title={t("chain.saveTheCurrentChainTo", { name: present.name })}
          onClick={() =>
            void run(`/${present.id}`, "PATCH", { with_present_chain: true, input_id: input.id })
          }
        >
          {t("chain.update")}
        </Button>
      )}
    </div>
  );
}

function PresetList({ presets, input }: { presets: PresetInfo[]; input: InputSettings }) {
  const file = useRef<HTMLInputElement>(null);
  const own = presets.filter((preset) => preset.is_own);
  return (
    <>
      <NameForm
        button={t("chain.save")}
        onSave={(name, description) => run("", "POST", { name, description, input_id: input.id })}
      />
      <div className="mt-3 flex items-center justify-between">
        <h3 className="text-xs text-quiet">{t("chain.yourPresets")}</h3>
        <Button
          className="flex items-center gap-1.5"
          title={t("chain.importAPresetFromA")}
          onClick={() => file.current?.click()}
        >
          <FolderInput size={14} /> {t("chain.import")}
        </Button>
        <input
          ref={file}
          type="file"
          accept=".json,application/json"
          aria-label={t("chain.presetFile")}
          className="hidden"
          onChange={(event) => {
            const given = event.target.files?.[0];
            if (given) void run("/import", "POST", given);
            event.target.value = "";
          }}
        />
      </div>
      {own.length === 0 && <p className="py-1 text-[13px] text-quiet">{t("chain.noPresetsYet")}</p>}
      <ul>
        {own.map((preset) => (
          <PresetRow key={preset.id} preset={preset} input={input} />
        ))}
      </ul>
      <h3 className="mt-3 text-xs text-quiet">{t("chain.startingPoints")}</h3>
      <ul>
        {presets
          .filter((preset) => !preset.is_own)
          .map((preset) => (
            <PresetRow key={preset.id} preset={preset} input={input} />
          ))}
      </ul>
    </>
  );
}

type RowProps = { preset: PresetInfo; input: InputSettings };

function PresetRow({ preset, input }: RowProps) {
  const isPresent = preset.id === input.preset_id;
  const [isEditing, setEditing] = useState(false);
  const { id, name, description } = preset;
  if (isEditing) {
    return (
      <li className="py-1.5">
        <NameForm
          button={t("chain.rename")}
          name={name}
          description={description}
          onSave={async (newName, newDescription) => {
            await run(`/${id}`, "PATCH", { name: newName, description: newDescription });
            setEditing(false);
          }}
        />
      </li>
    );
  }
  return (
    <li className="flex items-start gap-1 border-t border-line py-1.5">
      <button
        type="button"
        aria-current={isPresent ? "true" : undefined}
        title={t("chain.useThisChainUndoBrings")}
        className="min-w-0 flex-1 rounded px-1 text-left hover:bg-raised"
        onClick={() => void run(`/${id}/load?input_id=${input.id}`, "POST")}
      >
        <span className={`block text-[13px] ${isPresent ? "font-semibold" : ""}`}>{name}</span>
        {description && <span className="block text-xs text-quiet">{description}</span>}
      </button>
      <IconButton
        label={t("chain.compareWithNameAsChain", { name })}
        onClick={() => ask({ type: "keep_other", preset_id: id })}
      >
        <GitCompare size={14} />
      </IconButton>
      <IconButton
        label={t("chain.copyName", { name })}
        onClick={() => void run(`/${id}/copy`, "POST")}
      >
        <Copy size={14} />
      </IconButton>
      <a
        href={`/api/presets/${id}/export`}
        download
        aria-label={t("chain.exportName", { name })}
        title={t("chain.exportName", { name })}
        className="rounded p-1.5 hover:bg-raised"
      >
        <Download size={14} />
      </a>
      {preset.is_own && (
        <>
          <IconButton label={t("chain.renameName", { name })} onClick={() => setEditing(true)}>
            <Pencil size={14} />
          </IconButton>
          <IconButton
            label={t("chain.deleteName", { name })}
            onClick={() => void run(`/${id}`, "DELETE")}
          >
            <Trash2 size={14} />
          </IconButton>
        </>
      )}
    </li>
  );
}

type FormProps = {
  button: string;
  name?: string;
  description?: string;
  onSave: (name: string, description: string) => Promise<void>;
};

function NameForm({ button, name = "", description = "", onSave }: FormProps) {
  const [typed, setTyped] = useState(name);
  const [words, setWords] = useState(description);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    void onSave(typed, words).then(() => {
      setTyped(name);
      setWords(description);
    });
  };
  const look = "w-full rounded bg-raised px-2 py-1.5 text-[13px]";
  return (
    <form onSubmit={submit} className="flex flex-col gap-1.5">
      <input
        aria-label={t("chain.nameOfThePreset")}
        placeholder={t("chain.name")}
        maxLength={80}
        value={typed}
        onChange={(event) => setTyped(event.target.value)}
        className={look}
      />
      <div className="flex gap-1.5">
        <input
          aria-label={t("chain.description")}
          placeholder={t("chain.description")}
          maxLength={500}
          value={words}
          onChange={(event) => setWords(event.target.value)}
          className={look}
        />
        <Button
          look="main"
          type="submit"
          disabled={!typed.trim()}
          className="flex items-center gap-1.5"
        >
          <Save size={14} /> {button}
        </Button>
      </div>
    </form>
  );
}
