import type { Schema } from "../../api/client";
import { settingValue } from "../../parts/format";

export type Render = Schema["ImportedRender"];
/** Renders alike in all but the seed: one way of rendering. */
export type Group = { key: string; title: string; renders: Render[]; complete: boolean };

const APART = ["engine", "version", "scene", "view", "variant", "frame"] as const;

/** Groups of renders that are alike in all but the seed, in the order of their names. */
export function grouped(renders: Render[]): Group[] {
  const found = new Map<string, Render[]>();
  for (const render of renders.filter((each) => !each.problem)) {
    const key = JSON.stringify([
      APART.map((name) => render.fields_known[name] ?? null),
      Object.entries(render.settings).sort(),
      render.width,
      render.height,
    ]);
    found.set(key, [...(found.get(key) ?? []), render]);
  }
  const varying = varyingSettings(renders);
  return [...found].map(([key, rows]) => ({
    key,
    title: titleOf(rows[0], varying),
    renders: rows,
    complete: rows.every((row) => row.missing.length === 0),
  }));
}

/** Settings that are not the same in all renders: those tell groups apart. */
function varyingSettings(renders: Render[]): string[] {
  const names = [...new Set(renders.flatMap((render) => Object.keys(render.settings)))];
  return names.filter(
    (name) =>
      new Set(renders.filter((each) => !each.problem).map((render) => String(render.settings[name]))).size >
      1,
  );
}

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
