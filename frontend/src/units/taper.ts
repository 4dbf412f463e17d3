/** How a slider's travel maps to its value. All pure; ranges come from the server's schema. */

export type Range = { minimum: number; maximum: number; step: number; taper: "linear" | "log" };

/** Value → place on the slider. A log taper needs a positive minimum. */
export function toTravel(value: number, range: Range): number {
  return range.taper === "log" ? Math.log(Math.max(value, range.minimum)) : value;
}

/** Place on the slider → value, rounded to the range's step and kept inside the range. */
export function fromTravel(travel: number, range: Range): number {
  return settle(range.taper === "log" ? Math.exp(travel) : travel, range);
}

/** The nearest allowed value. `fineness` 10 allows a tenth of the step. */
export function settle(value: number, range: Range, fineness = 1): number {
  const step = range.step / fineness;
  const rounded = Math.round(value / step) * step;
  const clean = Number(rounded.toFixed(6));
  return Math.min(range.maximum, Math.max(range.minimum, clean));
}

/** What a key does to a value: arrows a step (a tenth with Shift), pages ten, Home and End the ends. */
export function afterKey(key: string, isFine: boolean, value: number, range: Range): number | null {
  const fineness = isFine ? 10 : 1;
  const step = range.step / fineness;
  switch (key) {
    case "ArrowUp":
    case "ArrowRight":
      return settle(value + step, range, fineness);
    case "ArrowDown":
    case "ArrowLeft":
      return settle(value - step, range, fineness);
    case "PageUp":
      return settle(value + 10 * range.step, range);
    case "PageDown":
      return settle(value - 10 * range.step, range);
    case "Home":
      return range.minimum;
    case "End":
      return range.maximum;
    default:
      return null;
  }
}
