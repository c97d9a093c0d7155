import type { Schema } from "../../api/client";
import { settingValue } from "../../parts/format";
import { defaults, type Kept, type Level, type Scalar } from "./kept";

/** A level to choose: how it is known in the form, its title, and what it is; `of` and `short` are its title in two parts,
 * where many stand in one table. */
export type Choice = { id: string; title: string; level: Level; of?: string; short?: string };

/** Something besides a setting that a plan can vary. */
export type Subject = {
  name: string;
  title: string;
  about: string;
  control: string;
  /** Levels to choose from; without them they are typed. */
  choices?: Choice[];
  unit?: string;
  range?: string;
};

/** What a plan can vary for this draft, besides the engine's settings. */
export function subjectsOf(draft: Kept, scene: Schema["Scene"], engines: Schema["Engine"][]): Subject[] {
  const engine = engines.find((each) => each.name === draft.engine);
  if (!engine) return [];
  return [
    engineSubject(draft, engine, engines),
    buildSubject(draft, engine),
    presetSubject(engine),
    variantSubject(draft, scene),
    ...scene.quantities.map((quantity) => quantitySubject(draft, quantity)),
  ].filter((each) => each !== null);
}

/** What says where is rendered; only plans of several options vary these. */
export function placesOf(
  draft: Kept,
  scene: Schema["Scene"],
  scenes: Schema["Scene"][],
  engine: Schema["Engine"] | undefined,
): Subject[] {
  const others = scenes.filter((each) => each.name !== scene.name);
  const views = scene.views.filter((each) => each.name !== draft.view);
  const found: (Subject | null)[] = [
    choice("scene", "Scene", "Another scene at the same size.", scene.title, others),
    choice("view", "View", "Another camera of this scene.", draft.view, views),
    scene.last_frame > scene.first_frame
      ? {
          name: "frame",
          title: "Frame",
          about: "Other moments of this scene.",
          control: String(draft.frame ?? scene.first_frame),
          range: `${scene.first_frame} to ${scene.last_frame}`,
        }
      : null,
    {
      name: "size",
      title: "Size",
      about: "Other sizes of the whole picture.",
      control: `${draft.width}x${draft.height}`,
      range: "such as 480x270",
    },
    engine?.time_budget
      ? {
          name: "time_budget",
          title: "Time budget",
          about: "Seconds after which a render ends, with as many samples as it got done.",
          control: String(draft.settings[engine.time_budget] ?? 0),
          unit: "s",
          range: "0 sets no end",
        }
      : null,
  ];
  return found.filter((each) => each !== null);
}

/** Each other engine with its default settings and with each of its presets; the control's own engine with its presets. */
function engineSubject(draft: Kept, engine: Schema["Engine"], engines: Schema["Engine"][]): Subject | null {
  const choices = [...engines.filter((each) => each.name !== engine.name && !each.missing), engine].flatMap(
    (each) => [
      {
        id: each.name,
        title: `${each.title} (default settings)`,
        of: each.title,
        short: "default",
        level: { value: each.name, settings: {} },
      },
      ...each.presets.map((preset) => ({
        id: `${each.name} ${preset.name}`,
        title: `${each.title} (preset ${preset.title})`,
        of: each.title,
        short: preset.title,
        level: { value: each.name, settings: preset.values as Record<string, Scalar> },
      })),
    ],
  );
  const own = JSON.stringify({ ...defaults(engine), ...draft.settings });
  const others = choices.filter(
    ({ level }) =>
      String(level.value) !== engine.name ||
      JSON.stringify({ ...defaults(engine), ...level.settings }) !== own,
  );
  if (engines.length < 2 || others.length === 0) return null;
  return {
    name: "engine",
    title: "Engine",
    about: "Another engine renders the same setup.",
    control: engine.title,
    choices: others,
  };
}

function buildSubject(draft: Kept, engine: Schema["Engine"]): Subject | null {
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

function variantSubject(draft: Kept, scene: Schema["Scene"]): Subject | null {
  const now = draft.variant ?? "as-is";
  const others = scene.variants.filter((each) => each.name !== now);
  const title = scene.variants.find((each) => each.name === now)?.title ?? now;
  return choice("light", "Variant", "The scene with something changed to isolate a cause.", title, others);
}

function quantitySubject(draft: Kept, quantity: Schema["SceneQuantity"]): Subject {
  return {
    name: `quantity:${quantity.name}`,
    title: quantity.title,
    about: "A quantity of the scene.",
    control: settingValue(draft.quantities?.[quantity.name] ?? quantity.default),
    unit: quantity.unit,
    range: `between ${quantity.minimum} and ${quantity.maximum}`,
  };
}

function choice(
  name: string,
  title: string,
  about: string,
  control: string,
  others: { name: string; title: string }[],
): Subject | null {
  if (others.length === 0) return null;
  const choices = others.map((each) => ({
    id: each.name,
    title: each.title,
    level: { value: each.name, settings: null },
  }));
  return { name, title, about, control, choices };
}

/** The levels that a setting can be chosen from; none for one that is typed. */
export function settingChoices(setting: Schema["Setting"], value: Scalar): Choice[] | undefined {
  if (setting.kind === "switch")
    return [
      { id: String(!value), title: value === true ? "off" : "on", level: { value: !value, settings: null } },
    ];
  if (setting.kind !== "choice") return undefined;
  return setting.choices
    .filter((each) => each !== value)
    .map((each) => ({ id: each, title: each, level: { value: each, settings: null } }));
}
