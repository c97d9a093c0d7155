import { describe, expect, it } from "vitest";
import type { Schema } from "../src/api/client";
import { bringIn } from "../src/screens/study/AnswerHead";
import { ALL, byScene, found, headline, needs, type Row, stateOf } from "../src/screens/study/found";
import { soFarWords } from "../src/screens/study/soFar";

function row(id: number, more: Partial<Row> = {}): Row {
  return {
    id,
    question: `Study ${id}`,
    asked: "own",
    scene: "Stall, counter",
    scene_title: "Stall",
    engines: ["Alder"],
    from_elsewhere: false,
    state: "done",
    runs_done: 4,
    runs_planned: 4,
    sentence: "Yes.",
    sure: "sure",
    pair: 1,
    options: 2,
    archived: false,
    disk_bytes: id,
    match_rail: null,
    chosen: [],
    thumbnail: "",
    proof: "",
    next: null,
    created_at: `2026-11-0${id}T00:00:00Z`,
    gathered: true,
    ended_at: `2026-11-0${id}T01:00:00Z`,
    ...more,
  };
}

describe("studies that are looked for", () => {
  const rows = [
    row(1, {
      question: "Which engine?",
      engines: ["Alder", "Tansy"],
      scene: "Mist, lane",
      scene_title: "Mist",
    }),
    row(2, { sentence: "45 samples are enough.", sure: "not sure yet" }),
    row(3, { chosen: ["trial"], asked: "samples" }),
  ];

  it("fits every word, wherever it stands", () => {
    expect(found(rows, { ...ALL, find: "tansy MIST" }, "newest").map((each) => each.id)).toEqual([1]);
    expect(found(rows, { ...ALL, find: "enough" }, "newest").map((each) => each.id)).toEqual([2]);
    expect(found(rows, { ...ALL, find: "none such" }, "newest")).toEqual([]);
  });

  it("heads the list with how many are open, and counts none of those that are still gathered", () => {
    expect(headline([])).toMatch(/^No study yet/);
    expect(headline([row(1)])).toBe("1 study, each with an answer.");
    expect(headline(rows)).toBe("3 studies, 1 without a sure answer yet.");
    const early = [row(1), row(2, { gathered: false, sure: "nothing yet", sentence: "" })];
    expect(headline(early)).toBe("2 studies; still gathering what 1 of them says.");
  });

  it("fits scene, engine, question and state", () => {
    expect(found(rows, { ...ALL, engine: "Tansy" }, "newest").map((each) => each.id)).toEqual([1]);
    expect(found(rows, { ...ALL, asked: "samples" }, "newest").map((each) => each.id)).toEqual([3]);
    expect(rows.map(stateOf)).toEqual(["sure", "open", "judged"]);
    expect(found(rows, { ...ALL, state: "judged", scene: "Stall" }, "newest").map((each) => each.id)).toEqual(
      [3],
    );
  });

  it("has an order, and groups keep it", () => {
    expect(found(rows, ALL, "newest").map((each) => each.id)).toEqual([3, 2, 1]);
    expect(found(rows, ALL, "name").map((each) => each.question)[2]).toBe("Which engine?");
    expect(byScene(found(rows, ALL, "newest")).map(([scene, own]) => [scene, own.length])).toEqual([
      ["Stall", 2],
      ["Mist", 1],
    ]);
  });
});

describe("what asks for somebody", () => {
  const step = {
    act: "seeds" as const,
    words: "Render 2 more",
    options: [],
    seeds: 2,
    seconds: null,
    quality: null,
  };

  it("is what runs, failed, is new, or can be settled", () => {
    const rows = [
      row(1, { sure: "not sure yet", next: step }),
      row(2),
      row(3, { state: "running" }),
      row(4, { state: "partly" }),
      row(5, { archived: true, state: "running" }),
    ];
    const told = needs(rows, { 1: "2026-11-09T00:00:00Z" }, "2026-11-02T00:30:00Z");
    expect(told.map((each) => [each.row.id, each.why])).toEqual([
      [3, "running"],
      [4, "failed"],
      [2, "new"],
      [1, "open"],
    ]);
    expect(needs(rows, {}, "2026-12-01T00:00:00Z").map((each) => each.row.id)).toEqual([3, 4, 1]);
  });
});

describe("what a running study says of how sure it is", () => {
  const pair = (value: number, interval: number[] | null) =>
    ({ noise_ratio: { value, interval }, time_ratio: null }) as unknown as Schema["PairSummary"];
  const progress = (counts: Record<string, number>, state = "running") =>
    ({ state, counts }) as unknown as Schema["Progress"];
  it("tells from how many renders, and how well noise is known", () => {
    expect(soFarWords(progress({ finished: 3, queued: 5 }), [pair(0.5, [0.4, 0.6])])).toBe(
      "So far, from 3 of 8 renders; noise known to ±20.0 %",
    );
    const three = [pair(1, [0.9, 1.1]), pair(1, [0.5, 1.5]), pair(1, null), pair(2, [1.5, 2.5])];
    expect(soFarWords(progress({ finished: 3, queued: 5 }), three)).toContain("typically known to ±25.0 %");
  });
  it("says nothing before anything is done, nor once all is", () => {
    expect(soFarWords(progress({ queued: 5 }), [])).toBe("");
    expect(soFarWords(progress({ finished: 5 }, "done"), [pair(0.5, [0.4, 0.6])])).toBe("");
  });
});

describe("what settles a study of renders made elsewhere", () => {
  it("is to bring in what would be rendered", () => {
    expect(bringIn({ act: "seeds", words: "Render 7 more seeds each, about 28 min" })).toBe(
      "Bring in 7 more seeds each, about 28 min",
    );
    expect(bringIn({ act: "levels", words: "Add higher levels" })).toBe("Bring in more renders");
  });
});
