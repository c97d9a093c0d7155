import type { Schema } from "../../api/client";

export type Draft = Schema["DraftRequest"];
/** The draft as it is kept here: `part` is the zone that is rendered alone, from which the crop follows. */
export type Kept = Draft & { part?: number | null };
export type Setting = Schema["Setting"];
export type Scalar = number | string | boolean;
export type Level = Schema["LevelRequest"];
export type Factor = Schema["FactorRequest"];

export function defaults(engine: Schema["Engine"]): Record<string, Scalar> {
  return Object.fromEntries(engine.settings.map((setting) => [setting.name, setting.default as Scalar]));
}
