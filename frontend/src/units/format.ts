/** How numbers are written: a true minus sign, one unit, nothing that jumps in width. */

export const MINUS = "−";

export function signless(value: number, digits: number): string {
  const text = Math.abs(value).toFixed(digits);
  return value < 0 && Number(text) !== 0 ? MINUS + text : text;
}

/** A level or gain, or a dash while there is none. */
export function decibels(value: number | null | undefined, digits = 1): string {
  return value === null || value === undefined ? "–" : signless(value, digits);
}

/** As many digits as a step needs: 0.1 → 1, 5 → 0. */
export function digitsOf(step: number): number {
  return Math.max(0, Math.ceil(-Math.log10(step) - 1e-9));
}

const SPOKEN_UNITS: Record<string, string> = {
  dB: "decibels",
  dBFS: "decibels full scale",
  dBTP: "decibels true peak",
  ms: "milliseconds",
  Hz: "hertz",
  "%": "percent",
  ": 1": "to one",
};

/** What a screen reader says of a value: "minus 18.0 decibels". */
export function spoken(value: number, unit: string, digits: number): string {
  return `${signless(value, digits).replace(MINUS, "minus ")} ${SPOKEN_UNITS[unit] ?? unit}`.trim();
}

/** A number that a person typed, with any minus sign or decimal comma; null if it is none. */
export function parseNumber(text: string): number | null {
  const plain = text.trim().replace(MINUS, "-").replace(",", ".");
  const match = /^-?\d*\.?\d+/.exec(plain);
  return match ? Number(match[0]) : null;
}
