import { Dialog } from "radix-ui";
import { useState, type KeyboardEvent, type ReactNode } from "react";
import { Button } from "../ui/Button";
import { Switch } from "../ui/Switch";
import { setSingleKeys, useView } from "../view";
import {
  ACTIONS,
  chooseKey,
  keyLabel,
  keyName,
  keyOf,
  useChosenKeys,
  usualKeys,
  type Action,
} from "../keyMap";
import { MidiBox } from "./MidiBox";
import { t } from "../text/text";

/** Keys that always do the same. */
const FIXED = [
  [t("shell.ctrlZCtrlShiftZ"), t("shell.undoRedo")],
  ["← → ↑ ↓", t("shell.onASliderOneStep")],
  [t("shell.pageUpPageDown"), t("shell.onASliderTenSteps")],
  [t("shell.homeEnd"), t("shell.onASliderTheEnds")],
  [t("shell.delete"), t("shell.onASliderResetTo")],
  ["F1", t("shell.onASliderExplainThe")],
] as const;

export function KeysDialog({ children }: { children: ReactNode }) {
  const hasSingleKeys = useView((view) => view.hasSingleKeys);
  const { keys } = useChosenKeys();
  return (
    <Dialog.Root>
      <Dialog.Trigger asChild>{children}</Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 bg-black/50" />
        <Dialog.Content
          aria-describedby={undefined}
          onEscapeKeyDown={(event) => {
            // Where a key is waited for, Escape means none.
            if (document.activeElement?.hasAttribute("data-takes-keys")) event.preventDefault();
          }}
          className="fixed top-1/2 left-1/2 w-[780px] -translate-1/2 rounded-lg border border-line bg-panel p-6"
        >
          <Dialog.Title className="mb-3 text-lg font-semibold">{t("shell.keys")}</Dialog.Title>
          <ul
            aria-label={t("shell.yourOwnKeys")}
            className="mb-3 grid max-h-[40vh] grid-cols-2 gap-x-6 overflow-auto"
          >
            {ACTIONS.map((action) => (
              <KeyChoice key={action.id} action={action} />
            ))}
          </ul>
          <dl className="grid grid-cols-[170px_1fr] gap-y-1 text-[13px]">
            {FIXED.map(([key, does]) => (
              <div key={key} className="contents">
                <dt className="figures">{key}</dt>
                <dd className="text-quiet">{does}</dd>
              </div>
            ))}
          </dl>
          <label className="my-4 flex items-center justify-between text-[13px]">
            {t("shell.singleKeysDigitsAndLetters")}
            <Switch checked={hasSingleKeys} onCheckedChange={setSingleKeys} />
          </label>
          <MidiBox />
          <div className="mt-4 flex items-center justify-between">
            <Dialog.Close asChild>
              <Button>{t("shell.close")}</Button>
            </Dialog.Close>
            <a
              href="/licences.txt"
              target="_blank"
              rel="noreferrer"
              className="text-[13px] text-quiet underline"
            >
              {t("shell.thirdPartyLicenses")}
            </a>
            <Button disabled={!Object.keys(keys).length} onClick={usualKeys}>
              {t("shell.resetKeys")}
            </Button>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

/** An action with its key; pressed, it waits for another one. */
function KeyChoice({ action }: { action: Action }) {
  const { keys } = useChosenKeys();
  const [isWaiting, setWaiting] = useState(false);
  const key = keyOf(action, keys);
  const onKeyDown = (event: KeyboardEvent) => {
    if (!isWaiting || event.key === "Tab" || event.key === "Shift") return;
    event.preventDefault();
    event.stopPropagation();
    if (event.key === "Delete" || event.key === "Backspace") chooseKey(action.id, "");
    else if (event.key !== "Escape") {
      const chosen = keyName(event);
      if (!chosen) return;
      chooseKey(action.id, chosen);
    }
    setWaiting(false);
  };
  return (
    <li className="flex items-center gap-3 py-0.5 text-[13px]">
      <span className="min-w-0 flex-1">{action.does}</span>
      <button
        type="button"
        data-takes-keys={isWaiting ? "" : undefined}
        aria-label={
          isWaiting
            ? t("shell.doesPressAKey", { does: action.does })
            : t("shell.doesKeyChooseAnotherKey", { does: action.does, key: keyLabel(key) })
        }
        onClick={() => setWaiting(true)}
        onBlur={() => setWaiting(false)}
        onKeyDown={onKeyDown}
        className={`figures h-6 min-w-20 rounded bg-raised px-2 ${isWaiting ? "text-voice-strong" : ""}`}
      >
        {isWaiting ? t("shell.pressAKey") : keyLabel(key)}
      </button>
    </li>
  );
}
