import type { Schema } from "../../api/client";
import type { Zone } from "../scenes/ZoneEditor";
import { type Corner, pixelBox } from "../scenes/zoneGeometry";
import { type Draft, defaults, type Factor, type Kept, type Level, type Scalar } from "./kept";
import { subjectsOf } from "./subjects";

export const SIZES = [
  { width: 240, height: 135, title: "240 × 135, a quick look" },
  { width: 480, height: 270, title: "480 × 270" },
  { width: 960, height: 540, title: "960 × 540" },
] as const;

/** What any scene and engine can vary. */
const PLACES = ["scene", "view", "frame", "size", "time_budget", "quality"];

/** A first draft: the first scene and engine, everything at its default, nothing varied yet. */
export function firstDraft(scenes: Schema["Scene"][], engines: Schema["Engine"][]): Draft {
  const scene = scenes[0];
  const engine = engines.find((each) => !each.missing) ?? engines[0];
  return {
    question: "",
    asked: "",
    kind: "on-off",
    match_on: "settings",
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
    factors: [],
    left_out: [],
    on_the_way: true,
    in_one_go: true,
    small: null,
    budget: null,
    repeats: 2,
    until_sure: null,
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
  const subjects = subjectsOf(draft, scene, engines);
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
    factors: (draft.factors ?? []).filter(
      (factor) =>
        has(engine.settings, factor.subject) ||
        has(subjects, factor.subject) ||
        PLACES.includes(factor.subject),
    ),
  };
}

/** The draft as it is sent: the crop follows from the zone that is rendered alone. */
export function sent(draft: Kept, zones: Zone[]): Draft {
  const { part, ...rest } = draft;
  const zone = zones.find((each) => each.id === part);
  if (!zone) return part === undefined ? rest : { ...rest, crop: null };
  return { ...rest, crop: pixelBox(zone.points as unknown as Corner[], draft.width, draft.height) };
}

/** The factor about this, if the draft varies it, and its place. */
export function factorOf(draft: Kept, subject: string): { factor: Factor; place: number } | null {
  const place = draft.factors.findIndex((factor) => factor.subject === subject);
  const factor = draft.factors[place];
  return factor ? { factor, place } : null;
}

/** The factors with this one's levels; a plan that takes a single factor lets go of the others. */
export function withLevels(
  draft: Kept,
  kind: Schema["PlanKind"] | undefined,
  subject: string,
  levels: Level[],
): Partial<Kept> {
  const factor = { subject, levels };
  const there = draft.factors.some((each) => each.subject === subject);
  if (there)
    return { factors: draft.factors.map((each) => (each.subject === subject ? factor : each)), left_out: [] };
  return { factors: kind?.most_factors === 1 ? [factor] : [...draft.factors, factor], left_out: [] };
}

export function withoutFactor(draft: Kept, subject: string): Partial<Kept> {
  return { factors: draft.factors.filter((each) => each.subject !== subject), left_out: [] };
}

const OF_A_SETTING = /^How (many|much) .+ does this scene need\?$/;

/** The question how much of a setting is needed, of the setting that now varies alone; words of one's own are kept. */
export function questionOf(
  draft: Kept,
  factors: Kept["factors"],
  settings: Pick<Schema["Setting"], "name" | "title">[],
): string {
  const [only, ...others] = factors;
  const title = settings.find((each) => each.name === only?.subject)?.title;
  if (draft.asked !== "bounces" || !OF_A_SETTING.test(draft.question) || !title || others.length > 0)
    return draft.question;
  const what = only?.subject === "bounces" ? "many bounces" : `much ${title.toLowerCase()}`;
  return `How ${what} does this scene need?`;
}

/** Text typed for a number, as a number when it is one; else the text itself, so that the server can say what is wrong. */
export function typed(text: string): Scalar {
  const value = Number(text.replace(",", "."));
  return text.trim() !== "" && Number.isFinite(value) ? value : text;
}

/** What stands between spaces, semicolons, or commas followed by a space, as levels. */
export function typedLevels(text: string): Level[] {
  return text
    .split(/;|,\s+|,$|\s+/)
    .map((part) => part.trim())
    .filter((part) => part !== "")
    .map((part) => ({ value: typed(part), settings: null }));
}
