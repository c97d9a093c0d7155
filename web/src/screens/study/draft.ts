import type { Schema } from "../../api/client";
import type { Zone } from "../scenes/ZoneEditor";
import { type Corner, pixelBox } from "../scenes/zoneGeometry";
import { subjectsOf } from "./subjects";

export type Draft = Schema["DraftRequest"];
/** The draft as it is kept here: `part` is the zone that is rendered alone, from which the crop follows. */
export type Kept = Draft & { part?: number | null };
export type Setting = Schema["Setting"];
export type Scalar = number | string | boolean;

export const SIZES = [
  { width: 240, height: 135, title: "240 × 135, a quick look" },
  { width: 480, height: 270, title: "480 × 270" },
  { width: 960, height: 540, title: "960 × 540" },
] as const;

/** A first draft: the first scene and engine, everything at its default, nothing changed yet. */
export function firstDraft(scenes: Schema["Scene"][], engines: Schema["Engine"][]): Draft {
  const scene = scenes[0];
  const engine = engines.find((each) => !each.missing) ?? engines[0];
  return {
    question: "",
    scene: scene?.name ?? "",
    variant: "as-is",
    view: scene?.views[0]?.name ?? "",
    frame: scene?.first_frame ?? 1,
    crop: null,
    quantities: {},
    passes: [],
    width: 240,
    height: 135,
    engine: engine?.name ?? "",
    settings: engine ? defaults(engine) : {},
    under_test: "",
    trial_value: "",
    repeats: 2,
    threads: 1,
    time_limit_seconds: 1800,
  };
}

/** A remembered draft made to fit what there is now. */
export function fitted(draft: Kept, scenes: Schema["Scene"][], engines: Schema["Engine"][]): Kept {
  const first = firstDraft(scenes, engines);
  const scene = scenes.find((each) => each.name === draft.scene);
  const engine = engines.find((each) => each.name === draft.engine);
  if (!scene || !engine) return { ...first, question: draft.question };
  const known = Object.entries({ ...defaults(engine), ...draft.settings }).filter(([name]) =>
    engine.settings.some((setting) => setting.name === name),
  );
  const has = (rows: { name: string }[], name: string | undefined) => rows.some((each) => each.name === name);
  const quantities = Object.entries(draft.quantities ?? {}).filter(([name]) => has(scene.quantities, name));
  const frame = Math.min(Math.max(draft.frame ?? scene.first_frame, scene.first_frame), scene.last_frame);
  const tested =
    has(engine.settings, draft.under_test) ||
    subjectsOf(draft, scene, engines).some((subject) => subject.name === draft.under_test);
  return {
    ...first,
    ...draft,
    view: has(scene.views, draft.view) ? draft.view : (scene.views[0]?.name ?? ""),
    variant: has(scene.variants, draft.variant) ? (draft.variant ?? "as-is") : "as-is",
    frame: typeof draft.frame === "number" ? frame : (draft.frame ?? scene.first_frame),
    build: has(engine.builds, draft.build) ? (draft.build ?? "") : "",
    quantities: Object.fromEntries(quantities),
    passes: (draft.passes ?? []).filter((name) => has(engine.passes, name)),
    settings: Object.fromEntries(known),
    under_test: tested ? draft.under_test : "",
  };
}

/** The draft as it is sent: the crop follows from the zone that is rendered alone. */
export function sent(draft: Kept, zones: Zone[]): Draft {
  const { part, ...rest } = draft;
  const zone = zones.find((each) => each.id === part);
  if (!zone) return { ...rest, crop: null };
  return { ...rest, crop: pixelBox(zone.points as unknown as Corner[], draft.width, draft.height) };
}

export function defaults(engine: Schema["Engine"]): Record<string, Scalar> {
  return Object.fromEntries(engine.settings.map((setting) => [setting.name, setting.default as Scalar]));
}

/** A first value for the trial, other than the control's. */
export function otherValue(setting: Setting, value: Scalar): Scalar {
  if (setting.kind === "switch") return !value;
  if (setting.kind === "choice") return setting.choices.find((choice) => choice !== value) ?? value;
  const doubled = Number(value) > 0 ? Number(value) * 2 : setting.kind === "integer" ? 1 : 2;
  return setting.maximum != null && doubled > setting.maximum ? Number(value) / 2 : doubled;
}

/** Text typed for a number, as a number when it is one; else the text itself, so that the server can say what is wrong. */
export function typed(text: string): Scalar {
  const value = Number(text.replace(",", "."));
  return text.trim() !== "" && Number.isFinite(value) ? value : text;
}
