/** What the server's schema says of a setting, found by its path. */

import type { JsonSchema, Rig, SettingsSchema } from "./client";
import type { Range } from "../units/taper";

export type SettingInfo = Range & {
  label: string;
  help: string;
  unit: string;
  options: (string | number)[];
  /** What a number comes to, from each value on. */
  reads: [number, string][];
  defaultValue: unknown;
};

type Place = { [name: string]: Place } | Place[] | string | number | boolean | null | undefined;

function stepInto(place: Place, part: string): Place {
  if (Array.isArray(place)) return place.find((item) => (item as { id?: string }).id === part);
  return place && typeof place === "object" ? place[part] : undefined;
}

/** The value at a path such as `inputs.voice.chain.gate.settings.range_db`; lists are entered by id. */
export function valueAt(rig: Rig, path: string): unknown {
  return path.split(".").reduce(stepInto, rig as unknown as Place);
}

export function settingInfo(known: SettingsSchema, rig: Rig, path: string): SettingInfo {
  const root = known.schema;
  const follow = (schema: JsonSchema | undefined): JsonSchema => {
    const name = schema?.$ref?.split("/").pop();
    return name ? (root.$defs?.[name] ?? {}) : (schema ?? {});
  };
  let schema = root;
  let place: Place = rig as unknown as Place;
  for (const part of path.split(".")) {
    place = stepInto(place, part);
    const mapping = schema.items?.discriminator?.mapping;
    if (mapping) {
      schema = follow({ $ref: mapping[(place as { stage?: string } | undefined)?.stage ?? ""] });
    } else if (schema.items) {
      schema = follow(schema.items);
    } else {
      const property: JsonSchema | undefined = schema.properties?.[part];
      // What stands beside a reference (a label of the place) counts before what it refers to.
      schema = property?.$ref ? { ...follow(property), ...property } : (property ?? {});
    }
  }
  return {
    label: schema.title ?? path,
    help: schema.description ?? "",
    unit: schema.unit ?? "",
    minimum: schema.minimum ?? 0,
    maximum: schema.maximum ?? 1,
    step: schema.step ?? 1,
    taper: schema.taper ?? "linear",
    options: schema.enum ?? [],
    reads: schema.reads ?? [],
    defaultValue: valueAt(known.defaults, path) ?? schema.default,
  };
}
