/** One hue a role, everywhere. */

import type { Role } from "../api/client";
import { t } from "../text/text";

export const ROLES: Role[] = ["voice", "game", "music", "call", "other"];

export const ROLE_LABELS: Record<Role, string> = {
  voice: t("ui.voice"),
  game: t("ui.game"),
  music: t("ui.music"),
  call: t("ui.call"),
  other: t("ui.other"),
};

/** The colour's name, for what is drawn. */
export const roleColour = (role: Role): string => (role === "other" ? "noise" : role);

/** The colour for text: amber and grey have a stronger one. */
export function roleText(role: Role): string {
  if (role === "voice") return "var(--voice-strong)";
  return role === "other" ? "var(--quiet)" : `var(--${role})`;
}
