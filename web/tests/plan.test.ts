import { describe, expect, it } from "vitest";
import type { Schema } from "../src/api/client";
import {
  factorOf,
  firstDraft,
  fitted,
  questionOf,
  sent,
  typed,
  typedLevels,
  withLevels,
  withoutFactor,
} from "../src/screens/plan/draft";
import type { Kept } from "../src/screens/plan/kept";
import { pilotWords } from "../src/screens/plan/pilotWords";
import { placesOf, settingChoices, subjectsOf } from "../src/screens/plan/subjects";

const setting = (name: string, kind: string, value: unknown, choices: string[] = []) =>
  ({ name, kind, default: value, choices }) as unknown as Schema["Setting"];

const engine = (name: string, more: Partial<Schema["Engine"]> = {}) =>
  ({
    name,
    title: name.toUpperCase(),
    missing: "",
    settings: [setting("samples", "integer", 16), setting("denoise", "switch", false)],
    builds: [],
    passes: [{ name: "light" }],
    presets: [],
    quantities: [],
    time_budget: "",
    ...more,
  }) as unknown as Schema["Engine"];

const scene = (name: string, more: Partial<Schema["Scene"]> = {}) =>
  ({
    name,
    title: name,
    views: [{ name: "front", title: "Front" }],
    variants: [{ name: "as-is", title: "As it is" }],
    quantities: [],
    first_frame: 1,
    last_frame: 1,
    ...more,
  }) as unknown as Schema["Scene"];

const plan = (most: number | null) => ({ most_factors: most }) as unknown as Schema["PlanKind"];
const scenes = [scene("stall"), scene("lane", { first_frame: 10, last_frame: 20 })];
const engines = [engine("gone", { missing: "not found" }), engine("alder"), engine("tansy")];
const first = (): Kept => firstDraft(scenes, engines);

describe("a first draft", () => {
  it("takes the first scene and the first engine that is there, at its defaults", () => {
    expect(first()).toMatchObject({ scene: "stall", view: "front", engine: "alder", frame: 1, factors: [] });
    expect(first().settings).toEqual({ samples: 16, denoise: false });
  });
  it("stands with nothing there", () => {
    expect(firstDraft([], [])).toMatchObject({ scene: "", engine: "", settings: {} });
  });
});

describe("a remembered draft", () => {
  it("keeps what there still is and lets go of the rest", () => {
    const kept: Kept = {
      ...first(),
      question: "Why?",
      view: "behind",
      passes: ["light", "depth"],
      settings: { samples: 64, gone: 1 },
      factors: [
        { subject: "samples", levels: [{ value: 4, settings: null }] },
        { subject: "gone", levels: [] },
        { subject: "size", levels: [] },
      ],
    };
    const now = fitted(kept, scenes, engines);
    expect(now).toMatchObject({ question: "Why?", view: "front", passes: ["light"] });
    expect(now.settings).toEqual({ samples: 64, denoise: false });
    expect(now.factors.map((each) => each.subject)).toEqual(["samples", "size"]);
  });
  it("begins anew with its question where its scene or engine is gone", () => {
    const now = fitted({ ...first(), engine: "elder", question: "Why?" }, scenes, engines);
    expect(now).toMatchObject({ engine: "alder", question: "Why?" });
  });
  it("stays within the scene's frames", () => {
    expect(fitted({ ...first(), scene: "lane", frame: 3 }, scenes, engines).frame).toBe(10);
    expect(fitted({ ...first(), scene: "lane", frame: 99 }, scenes, engines).frame).toBe(20);
  });
  it("of another version, with parts that are missing, breaks nothing", () => {
    const old = { question: "Old?", scene: "stall", engine: "alder" } as unknown as Kept;
    expect(fitted(old, scenes, engines)).toMatchObject({
      question: "Old?",
      repeats: 2,
      factors: [],
      width: 240,
    });
  });
});

describe("factors", () => {
  const four = [{ value: 4, settings: null }];
  it("replace each other where a plan takes one, and stand beside each other where it takes several", () => {
    const one = { ...first(), ...withLevels(first(), plan(1), "samples", four) };
    expect(withLevels(one, plan(1), "denoise", four).factors?.map((each) => each.subject)).toEqual([
      "denoise",
    ]);
    expect(withLevels(one, plan(null), "denoise", four).factors?.map((each) => each.subject)).toEqual([
      "samples",
      "denoise",
    ]);
  });
  it("change in their place, and go", () => {
    const two = {
      ...first(),
      factors: [
        { subject: "samples", levels: four },
        { subject: "denoise", levels: [] },
      ],
    };
    const now = { ...two, ...withLevels(two, plan(null), "samples", []) };
    expect(now.factors[0]).toEqual({ subject: "samples", levels: [] });
    expect(factorOf(now, "denoise")?.place).toBe(1);
    expect(factorOf(now, "bounces")).toBeNull();
    expect(withoutFactor(now, "samples").factors?.map((each) => each.subject)).toEqual(["denoise"]);
  });
});

describe("what is typed", () => {
  it.each([
    ["12", 12],
    ["0,5", 0.5],
    [" 3 ", 3],
    ["", ""],
    ["many", "many"],
    ["Infinity", "Infinity"],
  ])("%j is %j", (text, value) => expect(typed(text)).toBe(value));
  it.each([
    ["4 16 64", [4, 16, 64]],
    ["4; 16;", [4, 16]],
    ["0,1, 0,2", [0.1, 0.2]],
    ["480x270", ["480x270"]],
    ["  ", []],
  ])("levels %j are %j", (text, values) =>
    expect(typedLevels(text).map((each) => each.value)).toEqual(values),
  );
});

describe("what is sent", () => {
  const zone = {
    id: 7,
    points: [
      [0.1, 0.2],
      [0.5, 0.6],
    ],
  } as never;
  it("has the crop of the zone that is rendered alone", () => {
    const draft = sent({ ...first(), part: 7, width: 100, height: 50 }, [zone]);
    expect(draft.crop).toEqual({ x: 10, y: 10, width: 40, height: 20 });
    expect("part" in draft).toBe(false);
  });
  it("has none where the zone is gone", () => {
    expect(sent({ ...first(), part: 8, crop: { x: 1, y: 1, width: 2, height: 2 } }, [zone]).crop).toBeNull();
  });
});

describe("what a plan can vary", () => {
  it("names engines but those that are missing, and presets of each", () => {
    const preset = { name: "fast", title: "Fast", values: { samples: 4 } };
    const found = subjectsOf(first(), scene("stall"), [
      ...engines.slice(0, 2),
      engine("tansy", { presets: [preset] } as never),
    ]);
    const titles = found.find((each) => each.name === "engine")?.choices?.map((each) => each.title);
    expect(titles).toEqual(["TANSY (default settings)", "TANSY (preset Fast)"]);
  });
  it("offers frames only where the scene moves", () => {
    const names = (of: Schema["Scene"]) => placesOf(first(), of, scenes, engines[1]).map((each) => each.name);
    expect(names(scenes[0] as Schema["Scene"])).not.toContain("frame");
    expect(names(scenes[1] as Schema["Scene"])).toContain("frame");
  });
  it("chooses a switch's other side and a choice's others, and types the rest", () => {
    expect(settingChoices(setting("denoise", "switch", false), true)?.[0]?.title).toBe("off");
    expect(
      settingChoices(setting("way", "choice", "a", ["a", "b", "c"]), "b")?.map((each) => each.id),
    ).toEqual(["a", "c"]);
    expect(settingChoices(setting("samples", "integer", 1), 4)).toBeUndefined();
  });
});

describe("the tiny renders of a plan", () => {
  const pilot = { renders: 3, open: 0, failed: 0, reason: "", by_itself: true, held: "" };
  it("say whether they begin, would tell, go, wait, or failed", () => {
    expect(pilotWords(pilot, true)).toBe("Finding out what it takes: 3 tiny renders, 80 pixels wide.");
    expect(pilotWords({ ...pilot, renders: 1 }, false)).toBe("1 tiny render, 80 pixels wide, would tell.");
    expect(pilotWords({ ...pilot, open: 1 }, true)).toContain("1 tiny render to go");
    expect(pilotWords({ ...pilot, open: 2, held: "The queue is paused." }, true)).toBe(
      "The time is found out by 2 tiny renders, once the queue goes on. The queue is paused.",
    );
    expect(pilotWords({ ...pilot, failed: 1, reason: "It ended with 3." }, true)).toContain(
      "It ended with 3.",
    );
  });
});

describe("the question how much of a setting is needed", () => {
  const settings = [
    { name: "bounces", title: "Maximum bounces" },
    { name: "smoothing", title: "Smoothing" },
  ];
  const kept = (question: string, asked = "bounces") => ({ ...first(), asked, question }) as Kept;
  const varied = (...names: string[]) => names.map((subject) => ({ subject, levels: [] }));
  const proposed = "How many bounces does this scene need?";

  it("goes with the setting that varies alone", () => {
    const much = "How much smoothing does this scene need?";
    expect(questionOf(kept(proposed), varied("smoothing"), settings)).toBe(much);
    expect(questionOf(kept(much), varied("bounces"), settings)).toBe(proposed);
    expect(questionOf(kept(proposed), varied("bounces", "smoothing"), settings)).toBe(proposed);
    expect(questionOf(kept(proposed), varied("view"), settings)).toBe(proposed);
  });

  it("leaves words of one's own, and other questions, as they are", () => {
    expect(questionOf(kept("Enough?"), varied("smoothing"), settings)).toBe("Enough?");
    expect(questionOf(kept(proposed, "own"), varied("smoothing"), settings)).toBe(proposed);
  });
});
