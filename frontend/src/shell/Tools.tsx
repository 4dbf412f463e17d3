/** Undo, redo, theme and keys: small and always at hand. */

import { BookOpen, Keyboard, Moon, Redo2, Sun, Undo2 } from "lucide-react";
import { redo, undo } from "../live/link";
import { useLive } from "../live/store";
import { IconButton } from "../ui/IconButton";
import { forgetColours } from "../ui/Picture";
import { setTheme, useView } from "../view";
import { openGuideHere } from "../keyMap";
import { KeysDialog } from "./KeysDialog";
import { t } from "../text/text";

export function Tools() {
  const state = useLive((live) => live.state);
  return (
    <div className="flex items-center justify-between px-1.5">
      <IconButton label={t("shell.undo")} isOff={!state?.can_undo} onClick={undo}>
        <Undo2 size={16} />
      </IconButton>
      <IconButton label={t("shell.redo")} isOff={!state?.can_redo} onClick={redo}>
        <Redo2 size={16} />
      </IconButton>
      <ThemeSwitch />
      <IconButton label={t("shell.guide")} onClick={openGuideHere}>
        <BookOpen size={16} />
      </IconButton>
      <KeysDialog>
        <button
          type="button"
          aria-label={t("shell.keys")}
          title={t("shell.keys")}
          className="rounded p-1 hover:bg-raised"
        >
          <Keyboard size={16} />
        </button>
      </KeysDialog>
    </div>
  );
}

function ThemeSwitch() {
  const theme = useView((view) => view.theme);
  const other = theme === "dusk" ? "daylight" : "dusk";
  const change = () => {
    setTheme(other);
    forgetColours();
  };
  return (
    <IconButton
      label={theme === "dusk" ? t("shell.useThemeLight") : t("shell.useThemeDark")}
      onClick={change}
    >
      {theme === "dusk" ? <Sun size={16} /> : <Moon size={16} />}
    </IconButton>
  );
}
