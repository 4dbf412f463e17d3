/** What is dragged, in any window: the server says the values alone, and what follows from them. */

import type { State, StateTried } from "../api/client";

/** The state with what is tried in it. */
export function withTried(state: State, tried: StateTried): State {
  const rig = Object.entries(tried.values).reduce(
    (rig, [path, value]) => withValue(rig, path.split("."), value) as State["rig"],
    state.rig,
  );
  return {
    ...state,
    rig,
    plan: tried.plan,
    is_saved: false,
    curves: { ...state.curves, ...tried.curves },
    sentences: tried.sentences,
    changed_presets: tried.changed_presets,
    target_set: tried.target_set,
  };
}

/** A copy with one value changed, by its path: items of lists are named by their ids. What is not on the way stays the very same. */
export function withValue(place: unknown, path: string[], value: unknown): unknown {
  const [name, ...rest] = path;
  if (name === undefined) return value;
  if (Array.isArray(place)) {
    return place.map((one: unknown) => (isNamed(one, name) ? withValue(one, rest, value) : one));
  }
  if (typeof place !== "object" || place === null || !(name in place)) return place;
  return { ...place, [name]: withValue((place as Record<string, unknown>)[name], rest, value) };
}

const isNamed = (one: unknown, name: string) =>
  typeof one === "object" && one !== null && "id" in one && one.id === name;
