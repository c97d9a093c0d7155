import type { Schema } from "../../api/client";
import { settingValue } from "../../parts/format";
import type { Draft, Scalar } from "./draft";

/** Something besides a setting that the trial can change. */
export type Subject = {
  name: string;
  title: string;
  about: string;
  control: string;
  /** Values to choose from; without them it is a number. */
  choices?: { value: string; title: string }[];
  unit?: string;
  range?: string;
  first: Scalar;
};

/** What a trial can change for this draft, besides the engine's settings. */
export function subjectsOf(draft: Draft, scene: Schema["Scene"], engines: Schema["Engine"][]): Subject[] {
  const engine = engines.find((each) => each.name === draft.engine);
  if (!engine) return [];
  const found = [
    engineSubject(engine, engines),
    buildSubject(draft, engine),
    presetSubject(engine),
    variantSubject(draft, scene),
    ...scene.quantities.map((quantity) => quantitySubject(draft, quantity)),
  ];
  return found.filter((each) => each !== null);
}

function engineSubject(engine: Schema["Engine"], engines: Schema["Engine"][]): Subject | null {
  const others = engines.filter((each) => each.name !== engine.name && !each.missing);
  return choice("engine", "Engine", "Another engine renders the same setup.", engine.title, others);
}

function buildSubject(draft: Draft, engine: Schema["Engine"]): Subject | null {
  const now = engine.builds.find((build) => build.name === draft.build) ?? engine.builds[0];
  const others = engine.builds.filter((build) => build !== now && !build.missing);
  return choice(
    "version",
    "Build",
    "Another version of the engine, or another device.",
    now?.title ?? "",
    others,
  );
}

function presetSubject(engine: Schema["Engine"]): Subject | null {
  return choice("preset", "Preset", "All settings at once.", "the values below", engine.presets);
}

function variantSubject(draft: Draft, scene: Schema["Scene"]): Subject | null {
  const now = draft.variant ?? "as-is";
  const others = scene.variants.filter((each) => each.name !== now);
  const title = scene.variants.find((each) => each.name === now)?.title ?? now;
  return choice("light", "Variant", "The scene with something changed to isolate a cause.", title, others);
}

function quantitySubject(draft: Draft, quantity: Schema["SceneQuantity"]): Subject {
  const now = draft.quantities?.[quantity.name] ?? quantity.default;
  const range = quantity.maximum - quantity.minimum;
  const other = now + range / 4 <= quantity.maximum ? now + range / 4 : now - range / 4;
  return {
    name: `quantity:${quantity.name}`,
    title: quantity.title,
    about: "A quantity of the scene.",
    control: settingValue(now),
    unit: quantity.unit,
    range: `between ${quantity.minimum} and ${quantity.maximum}`,
    first: Number(other.toPrecision(3)),
  };
}

function choice(
  name: string,
  title: string,
  about: string,
  control: string,
  others: { name: string; title: string }[],
): Subject | null {
  const [first] = others;
  if (!first) return null;
  const choices = others.map((each) => ({ value: each.name, title: each.title }));
  return { name, title, about, control, choices, first: first.name };
}
