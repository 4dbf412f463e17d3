/** Made by facts.mjs. */

import { fromServer } from "../text/text";

export const CLIPPED_DBFS = -0.1 as const;
export const FEED_LABELS = fromServer({
  label: { archive: "Archive", call: "Call", viewers: "Viewers", you: "You" } as const,
}).label;
export const GOOD_SII = 0.75 as const;
export const HOLD_RANGE_DB = 6 as const;
export const SOUND_EARLIER_MS = 45 as const;
export const SOUND_LATER_MS = 125 as const;
export const STAGE_LABELS = fromServer({
  label: {
    compressor: "Compressor",
    de_esser: "De-esser",
    ducker: "Ducker",
    eq: "EQ",
    gate: "Gate",
    high_pass: "High-pass",
    insert: "Insert",
    leveller: "Leveller",
    limiter: "Limiter",
    suppressor: "Suppressor",
    three_band: "Three bands",
    trim: "Trim",
  } as const,
}).label;
export const VOICE_ZONES = [
  { from_hz: 20, name: "rumble", to_hz: 80 },
  { from_hz: 80, name: "body", to_hz: 250 },
  { from_hz: 250, name: "mud", to_hz: 500 },
  { from_hz: 500, name: "boxiness", to_hz: 1000 },
  { from_hz: 1000, name: "clarity", to_hz: 3000 },
  { from_hz: 3000, name: "harshness", to_hz: 5000 },
  { from_hz: 5000, name: "sibilance", to_hz: 10000 },
  { from_hz: 10000, name: "air", to_hz: 20000 },
] as const;
