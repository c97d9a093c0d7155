import type { Schema } from "../../api/client";
import { settingValue } from "../../parts/format";

export type Render = Schema["ImportedRender"];
/** Renders alike in all but the seed: one option. */
export type Group = { key: string; title: string; renders: Render[]; complete: boolean };

/** Frames of one option, with the numbers of their frames in order. */
export type FrameGroup = Group & { frames: number[] };

const APART = ["engine", "version", "scene", "view", "variant", "frame"] as const;
const PLACES = ["scene", "view", "frame"] as const;
/** What a scene's view is called where nothing says it: most have one. */
const ONLY_VIEW = "main";

/** Groups of renders that are alike in all but the seed: those of which enough is known first, by name. */
export function grouped(renders: Render[]): Group[] {
  return groupedBy(renders, APART);
}

/** Groups of at least two frames that are alike in all but frame and seed. */
export function frameGroups(renders: Render[]): FrameGroup[] {
  return groupedBy(
    renders,
    APART.filter((name) => name !== "frame"),
  )
    .map((group) => ({ ...group, frames: framesOf(group.renders) }))
    .filter((group) => group.frames.length > 1);
}

/** Frame numbers as they are known, or as the last number in a name tells them, unless that is the seed. */
function framesOf(renders: Render[]): number[] {
  const found = renders.map(({ name, fields_known: known }) => {
    if (known.frame != null) return Number(known.frame);
    const last = /(\d+)(?!.*\d)/.exec(name.replace(/\.\w+$/, ""))?.[1];
    return last === undefined || Number(last) === known.seed ? Number.NaN : Number(last);
  });
  return [...new Set(found.filter((each) => !Number.isNaN(each)))].sort((one, other) => one - other);
}

function groupedBy(renders: Render[], apart: readonly string[]): Group[] {
  const found = new Map<string, Render[]>();
  for (const render of renders.filter((each) => !each.problem)) {
    const key = JSON.stringify([
      apart.map((name) => render.fields_known[name] ?? null),
      Object.entries(render.settings).sort(),
      render.width,
      render.height,
    ]);
    found.set(key, [...(found.get(key) ?? []), render]);
  }
  const varying = varyingSettings(renders);
  const rows = [...found.values()];
  const titles = rows.map((own) => titleOf(own[0], varying));
  const groups = [...found].map(([key, own], at) => {
    const alike = rows.filter((_, other) => titles[other] === titles[at]).map((each) => each[0]);
    return {
      key,
      title: [titles[at], ...placeOf(own[0], alike, apart)].filter(Boolean).join(", "),
      renders: own,
      complete: own.every((row) => row.missing.length === 0),
    };
  });
  return groups.sort((one, other) => Number(other.complete) - Number(one.complete));
}

/** Settings that tell groups apart: not the same in all renders that have them, or only some of an engine's have them. */
export function varyingSettings(renders: Render[]): string[] {
  const engineOf = (render: Render) => String(render.fields_known.engine ?? "");
  const names = new Map<string, Set<string>>();
  for (const render of renders) {
    const own = names.get(engineOf(render)) ?? new Set();
    for (const name of Object.keys(render.settings)) own.add(name);
    names.set(engineOf(render), own);
  }
  const values = new Map<string, Set<string>>();
  for (const render of renders) {
    for (const name of names.get(engineOf(render)) ?? []) {
      const value = name in render.settings ? JSON.stringify(render.settings[name]) : "";
      values.set(name, (values.get(name) ?? new Set()).add(value));
    }
  }
  return [...values].filter(([, seen]) => seen.size > 1).map(([name]) => name);
}

/** How an option was rendered, as far as that differs among all. */
function titleOf(render: Render | undefined, varying: string[]): string {
  if (!render) return "";
  const known = (name: string) => settingValue(render.fields_known[name] ?? "");
  const engine = `${known("engine") || "engine not known"} ${known("version")}`.trim();
  const settings = varying
    .filter((name) => name in render.settings)
    .map((name) => `${name.replaceAll("_", " ")} ${settingValue(render.settings[name])}`);
  return [engine, known("variant") === "as-is" ? "" : known("variant"), ...settings]
    .filter(Boolean)
    .join(", ");
}

/** Where, as far as that tells it from others that are called alike. */
function placeOf(
  render: Render | undefined,
  alike: (Render | undefined)[],
  apart: readonly string[],
): string[] {
  if (!render || alike.length < 2) return [];
  const differs = (of: (each: Render | undefined) => unknown) => new Set(alike.map(of)).size > 1;
  const names = PLACES.filter((name) => apart.includes(name) && differs((each) => each?.fields_known[name]));
  const there = names.map((name) => `${name} ${settingValue(render.fields_known[name] ?? "not known")}`);
  const size = (each: Render | undefined) => `${each?.width} × ${each?.height}`;
  return differs(size) ? [...there, size(render)] : there;
}

/**
 * Scene and view of renders that say neither: those of all others here, where they agree. Where none says its scene,
 * the folder's name is one.
 */
export function proposedPlace(
  renders: Render[],
  meant: Render[],
  folder = "",
): { scene?: string; view?: string } {
  const place: { scene?: string; view?: string } = {};
  for (const field of ["scene", "view"] as const) {
    if (meant.length === 0 || !meant.every((render) => render.missing.includes(field))) continue;
    const known = renders.map((render) => render.fields_known[field]).filter((value) => value != null);
    const [first, ...others] = new Set(known.map(String));
    if (others.length > 0) continue;
    if (first !== undefined) place[field] = first;
    else if (field === "view") place.view = ONLY_VIEW;
    else if (folder) place.scene = folder;
  }
  return place;
}
