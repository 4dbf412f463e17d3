/** One hue a role, everywhere. */

import type { Role } from "../api/client";

export const ROLES: Role[] = ["voice", "game", "music", "call", "other"];

export const ROLE_LABELS: Record<Role, string> = {
  voice: "Voice",
  game: "Game",
  music: "Music",
  call: "Call",
  other: "Other",
};

/** The colour's name, for what is drawn. */
export const roleColour = (role: Role): string => (role === "other" ? "noise" : role);

/** The colour for text: amber and grey have a stronger one. */
export function roleText(role: Role): string {
  if (role === "voice") return "var(--voice-strong)";
  return role === "other" ? "var(--quiet)" : `var(--${role})`;
}
