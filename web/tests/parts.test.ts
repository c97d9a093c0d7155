import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { answeredUpTo, askAgainAfter, concerns, listen } from "../src/api/events";
import { logAxis, ticksOf } from "../src/charts/logAxis";
import { stepsOf } from "../src/charts/steps";
import { bytes, digits, duration, fixed, settingsInWords, signed, spread, three } from "../src/parts/format";
import { remembered } from "../src/parts/remembered";
import { saidOf } from "../src/screens/queue/Backup";
import { cornerAt, large, movedBy, ordered, outline, pixelBox } from "../src/screens/scenes/zoneGeometry";
import { widthOfColumn } from "../src/screens/study/rows";

describe("figures in words", () => {
  it.each([
    [0, "0"],
    [0.012345, "0.0123"],
    [1.2345, "1.23"],
    [123.45, "123"],
    [12345, "12300"],
    [-0.5, "-0.500"],
    [Number.NaN, "not finite"],
    [Number.POSITIVE_INFINITY, "not finite"],
  ])("%d is %s", (value, words) => expect(three(value)).toBe(words));

  it("keeps decimals, and the sign of shifts but of none", () => {
    expect([fixed(12345.678, 2), fixed(-0.5, 1)]).toEqual(["12345.68", "-0.5"]);
    expect([signed(0.25, 3), signed(-1, 3), signed(0.0004, 3), signed(-0.0004, 3)]).toEqual([
      "+0.250",
      "−1.000",
      "0.000",
      "0.000",
    ]);
    expect([digits(1.5, 4), digits(123456, 4), digits(0.000012345, 4)]).toEqual([
      "1.500",
      "123500",
      "0.00001235",
    ]);
  });
  it.each([
    [8.4, "8 s"],
    [125, "2 min 5 s"],
    [4200, "1 h 10 min"],
    [-3, "0 s"],
  ])("%d seconds are %s", (value, words) => expect(duration(value)).toBe(words));
  it.each([
    [999, "0.999 kB"],
    [2_500_000, "2.50 MB"],
    [3e9, "3.00 GB"],
  ])("%d bytes are %s", (value, words) => expect(bytes(value)).toBe(words));
  it("says of no interval that there is none", () => {
    expect(spread(null)).toBe("no interval");
    expect(spread([1, 2])).toBe("1.00 to 2.00");
  });
  it("names settings as words", () => {
    expect(settingsInWords({ screen_bounce: true, bounces: 4 })).toBe("screen bounce on, bounces 4");
  });
});

describe("logarithmic axes", () => {
  it.each([
    [1, 10, [1, 2, 5, 10]],
    [1.2, 4, [1.5, 2, 3, 4]],
    [0.001, 10_000, [0.001, 0.01, 0.1, 1, 10, 100, 1000, 10_000]],
  ])("from %d to %d are marked at %j", (low, high, marks) => expect(ticksOf(low, high)).toEqual(marks));
  it("leave out what has no logarithm, and stand without any value", () => {
    const axis = logAxis([0, -3, 5, Number.NaN, 50], 0, 100);
    expect(axis.at(5)).toBeGreaterThan(0);
    expect(axis.at(50)).toBeLessThan(100);
    expect(logAxis([], 0, 100).ticks.length).toBeGreaterThan(1);
  });
  it("draw a frontier in steps", () => {
    expect(
      stepsOf([
        { x: 1, y: 9 },
        { x: 4, y: 3 },
      ]),
    ).toEqual([
      { x: 1, y: 9 },
      { x: 4, y: 9 },
      { x: 4, y: 3 },
    ]);
    expect(stepsOf([])).toEqual([]);
  });
});

describe("zones", () => {
  const box = [
    [0.2, 0.3],
    [0.6, 0.5],
  ] as const;
  it("have four corners as rectangles, whichever way they were drawn", () => {
    expect(outline("rectangle", box)).toHaveLength(4);
    expect(
      ordered([
        [0.6, 0.3],
        [0.2, 0.5],
      ]),
    ).toEqual([
      [0.2, 0.3],
      [0.6, 0.5],
    ]);
  });
  it("stop at the picture's edges and keep their size", () => {
    const [a, b] = movedBy(box, 9, -9);
    expect(a?.[0]).toBeCloseTo(0.6, 9);
    expect(b).toEqual([1, 0.2]);
  });
  it("stay rectangles when a corner moves", () => {
    expect(cornerAt("rectangle", box, 1, [0.9, 0.1])).toEqual([
      [0.2, 0.1],
      [0.9, 0.5],
    ]);
    expect(cornerAt("polygon", box, 1, [2, -1])[1]).toEqual([1, 0]);
  });
  it("are too small to be meant when hardly drawn", () => {
    expect(
      large([
        [0.5, 0.5],
        [0.501, 0.6],
      ]),
    ).toBe(false);
    expect(large(box)).toBe(true);
  });
  it("cover whole pixels", () => {
    expect(
      pixelBox(
        [
          [0.101, 0.2],
          [0.5, 0.61],
        ],
        100,
        50,
      ),
    ).toEqual({ x: 10, y: 10, width: 40, height: 21 });
    expect(
      pixelBox(
        [
          [0.5, 0.5],
          [0.5, 0.5],
        ],
        10,
        10,
      ),
    ).toMatchObject({ width: 1, height: 1 });
  });
});

describe("the run table", () => {
  it("gives words more room than numbers", () => {
    const width = (name: string, number: boolean) => widthOfColumn({ name, number } as never);
    expect(width("title", false)).toBeGreaterThan(width("state", false));
    expect(width("state", false)).toBeGreaterThan(width("seconds", true));
  });
});

describe("what is remembered", () => {
  const kept = new Map<string, string>();
  beforeEach(() => vi.stubGlobal("localStorage", { getItem: (key: string) => kept.get(key) ?? null }));
  afterEach(() => vi.unstubAllGlobals());
  it("is the first choice until there is one, and when what is kept cannot be read", () => {
    expect(remembered("zoom", 1)).toBe(1);
    kept.set("matchedpair.zoom", "2");
    expect(remembered("zoom", 1)).toBe(2);
    kept.set("matchedpair.zoom", "{");
    expect(remembered("zoom", 1)).toBe(1);
  });
});

describe("what the server tells", () => {
  class Source {
    static last: Source;
    onopen = () => {};
    onerror = () => {};
    onmessage = (_: { data: string }) => {};
    told = (_: { data: string }) => {};
    addEventListener = (_: string, heard: (_: { data: string }) => void) => {
      this.told = heard;
    };
    closed = false;
    constructor() {
      Source.last = this;
    }
    close() {
      this.closed = true;
    }
  }
  beforeEach(() => {
    vi.useFakeTimers();
    vi.stubGlobal("EventSource", Source);
  });
  afterEach(() => {
    vi.useRealTimers();
    vi.unstubAllGlobals();
  });
  it("concerns what may have changed and nothing else", () => {
    expect(concerns(["progress"], ["progress", 5])).toBe(true);
    expect(concerns(["progress"], ["answer", 5])).toBe(false);
    expect(concerns(["measured"], ["answer", 5])).toBe(true);
    expect(concerns(["everything"], ["anything"])).toBe(true);
    expect(concerns(["unheard of"], ["answer"])).toBe(false);
  });
  it("is asked for again when the stream began only where it may have been missed", () => {
    const asked = vi.fn();
    answeredUpTo("70");
    let end = listen({ invalidateQueries: asked } as never);
    Source.last.onopen();
    Source.last.told({ data: "70" });
    answeredUpTo("70");
    answeredUpTo("90");
    expect(asked).not.toHaveBeenCalled();
    Source.last.told({ data: "90" }); // the stream began again: nobody knows what came between
    expect(asked).toHaveBeenCalledTimes(1);
    end();

    answeredUpTo("90");
    answeredUpTo("95");
    end = listen({ invalidateQueries: asked } as never);
    Source.last.told({ data: "95" });
    expect(asked).toHaveBeenCalledTimes(2);
    answeredUpTo("94"); // on its way since before
    expect(asked).toHaveBeenCalledTimes(3);
    answeredUpTo(null);
    answeredUpTo("94");
    expect(asked).toHaveBeenCalledTimes(3);
    end();
  });
  it("is asked for at once, together, then at most every seven tenths of a second, and never where no change can be", () => {
    const asked = vi.fn();
    const end = listen({ invalidateQueries: asked } as never);
    Source.last.onopen();
    asked.mockClear();
    Source.last.onmessage({ data: "progress" });
    Source.last.onmessage({ data: "measured runs" });
    expect(asked).not.toHaveBeenCalled();
    vi.advanceTimersByTime(100);
    expect(asked).toHaveBeenCalledTimes(1);
    Source.last.onmessage({ data: "runs" });
    vi.advanceTimersByTime(500);
    expect(asked).toHaveBeenCalledTimes(1);
    vi.advanceTimersByTime(200);
    expect(asked).toHaveBeenCalledTimes(2);
    const predicate = asked.mock.calls[0]?.[0].predicate as (query: { queryKey: unknown[] }) => boolean;
    expect(predicate({ queryKey: ["progress", 1] })).toBe(true);
    expect(predicate({ queryKey: ["proof", 1] })).toBe(false);
    end();
    expect(Source.last.closed).toBe(true);
  });
  it("makes polling rest, until it tells nothing any more", () => {
    const end = listen({ invalidateQueries: vi.fn() } as never);
    expect(askAgainAfter(400)).toBe(400);
    Source.last.onopen();
    expect(askAgainAfter(400)).toBe(30_000);
    Source.last.onerror();
    expect(askAgainAfter(400)).toBe(400);
    end();
  });
});

describe("how the backup stands", () => {
  const none = {
    at_work: false,
    done: 0,
    of: 0,
    made_at: null,
    new_files: 0,
    new_bytes: 0,
    problem: "",
    on_another_disk: true,
  };
  it.each([
    [{}, "Nothing has been copied yet: the database and all pictures exist once."],
    [{ at_work: true }, "Copying: looking at what is new."],
    [{ at_work: true, done: 3, of: 9 }, "Copying: 3 of 9 files."],
    [
      { made_at: "2026-11-29T17:39:00Z", new_files: 2, new_bytes: 5_200_000 },
      /^Everything was copied on 29 Nov 2026, \d\d:39; 2 files were new, 5\.20 MB\.$/,
    ],
    [{ made_at: "2026-11-29T17:39:00Z" }, /; nothing was new\.$/],
  ])("%j", (row, said) => {
    const told = saidOf({ ...none, ...row });
    if (typeof said === "string") expect(told).toBe(said);
    else expect(told).toMatch(said);
  });
});
