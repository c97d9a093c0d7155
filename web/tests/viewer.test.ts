import { describe, expect, it } from "vitest";
import { actFor, KEYS, type ViewerAct } from "../src/viewer/keys";
import { halvesOf, movedTo, onSide, places, turned, turnedTo, UPRIGHT } from "../src/viewer/line";
import { bestColumns, paneAt, panesOf } from "../src/viewer/panes";
import { gradientOf, SIDES, stopsOf } from "../src/viewer/scales";
import { acted, FIRST_CHOICES, type Shown, type ViewerState } from "../src/viewer/state";
import { aligned, fit, held, snapped, toPicture, toScreen, zoomAt } from "../src/viewer/viewport";

const FRAME = { width: 320, height: 180 };
const WINDOW = { width: 640, height: 480 };
const SHOWN: Shown = {
  frame: FRAME,
  window: WINDOW,
  pictures: 2,
  layers: ["noise", "error"],
  passes: ["light"],
  zones: [
    { zone: "shelf", box: [10, 20, 40, 30] },
    { zone: "lamp", box: [200, 20, 20, 20] },
  ],
  places: [
    [10, 10, 10, 10],
    [60, 30, 30, 30],
  ],
};
const START: ViewerState = {
  ...FIRST_CHOICES,
  view: fit(FRAME, WINDOW),
  line: UPRIGHT,
  fitted: true,
  layer: "",
  layerHidden: false,
  lift: 0,
  channel: 0,
  pass: "",
  over: "",
  zone: "",
  place: -1,
  full: false,
};
const after = (...acts: ViewerAct[]) => acts.reduce((state, act) => acted(state, act, SHOWN), START);

describe("keys", () => {
  it("each mean one thing", () => {
    const keys = KEYS.map((row) => row.key);
    expect(new Set(keys).size).toBe(keys.length);
    expect(KEYS.every((row) => row.words !== "")).toBe(true);
  });
  const pressed = (key: string, more = {}) =>
    actFor({ key, ctrlKey: false, altKey: false, metaKey: false, ...more });
  it("work in either case, and = is +", () => {
    expect(pressed("X")).toEqual({ do: "exchange" });
    expect(pressed("=")).toEqual(pressed("+"));
    expect(pressed("F5")).toBeNull();
  });
  it("leave to the browser what is the browser's", () => expect(pressed("c", { ctrlKey: true })).toBeNull());
});

describe("acts", () => {
  it("exchange control and trial", () => {
    expect(after({ do: "exchange" }).mode).toBe("control");
    expect(after({ do: "exchange" }, { do: "exchange" }).mode).toBe("trial");
    expect(after({ do: "exchange" }, { do: "exchange" }, { do: "exchange" }).mode).toBe("control");
  });
  it("keep the exposure within bounds", () => {
    expect(after({ do: "exposure", by: 100 }).exposure).toBe(12);
    expect(after({ do: "exposure", by: -100 }).exposure).toBe(-8);
    expect(after({ do: "exposure", by: 2 }, { do: "exposure reset" }).exposure).toBe(0);
  });
  it("go round through channels, passes, maps and lifts", () => {
    const channel: ViewerAct = { do: "channel" };
    expect(after(channel, channel, channel, channel, channel).channel).toBe(0);
    expect(after({ do: "pass" }).pass).toBe("light");
    expect(after({ do: "pass" }, { do: "pass" }).pass).toBe("");
    expect(after({ do: "next map", by: -1 }).layer).toBe("error");
    const lift: ViewerAct = { do: "lift" };
    expect(after(lift, lift, lift, lift, lift).lift).toBe(5);
    expect(after(lift, lift, lift, lift, lift, lift).lift).toBe(0);
  });
  it("show a map again when another is chosen", () => {
    expect(after({ do: "map" }).layerHidden).toBe(true);
    expect(after({ do: "map" }, { do: "next map", by: 1 })).toMatchObject({
      layer: "noise",
      layerHidden: false,
    });
  });
  it("walk through the zones and back to the whole", () => {
    const next: ViewerAct = { do: "zone", by: 1 };
    const shelf = after(next);
    expect(shelf).toMatchObject({ zone: "shelf", fitted: false });
    expect(shelf.view).toMatchObject({ x: 30, y: 35 });
    expect(after(next, next).zone).toBe("lamp");
    expect(after(next, next, next)).toMatchObject({ zone: "", fitted: true });
    expect(after({ do: "zone", by: -1 }).zone).toBe("lamp");
  });
  it("walk through the places where the two differ most, either way round", () => {
    const next: ViewerAct = { do: "place", by: 1 };
    const first = after(next);
    expect(first).toMatchObject({ place: 0, fitted: false });
    expect(first.view).toMatchObject({ x: 15, y: 15 });
    expect(after(next, next).view).toMatchObject({ x: 75, y: 45 });
    expect(after(next, next, next)).toMatchObject({ place: -1, fitted: true });
    expect(after({ do: "place", by: -1 }).place).toBe(1);
    expect(after(next, { do: "fit" }, next).place).toBe(0);
  });
  it("never lose the picture by panning", () => {
    const far = after({ do: "pan", dx: -1e6, dy: 1e6 }).view;
    expect(far).toMatchObject({ x: FRAME.width, y: 0 });
  });
  it("next to each other fit anew, unless somebody zoomed", () => {
    const beside: ViewerAct = { do: "mode", mode: "side by side" };
    expect(after(beside).view.zoom).toBeLessThan(START.view.zoom);
    expect(after({ do: "zoom", to: 8 }, beside).view.zoom).toBe(8);
  });
  it("about keys and pins are somebody else's", () => {
    expect(after({ do: "pin" })).toBe(START);
    expect(after({ do: "keys" })).toBe(START);
  });
});

describe("panes", () => {
  it("are one for what is shown alone and two side by side, with a gap and whole pixels", () => {
    expect(panesOf("divided", 2, FRAME, WINDOW)).toEqual([{ left: 0, top: 0, ...WINDOW, picture: null }]);
    expect(panesOf("trial", 2, FRAME, WINDOW)[0]?.picture).toBe(1);
    const [left, right] = panesOf("side by side", 2, FRAME, { width: 641, height: 100 });
    expect(left?.width).toBe(319);
    expect(right?.left).toBe(321);
  });
  it.each([
    [2, { width: 100, height: 1000 }, 1],
    [2, { width: 1000, height: 100 }, 2],
    [9, { width: 1600, height: 900 }, 3],
    [1, WINDOW, 1],
  ])("%i pictures in %o stand in %i columns", (count, window, columns) =>
    expect(bestColumns(count, FRAME, window)).toBe(columns),
  );
  it("under the pointer, else the first", () => {
    const panes = panesOf("side by side", 2, FRAME, WINDOW);
    expect(paneAt(panes, { x: 400, y: 10 }).picture).toBe(1);
    expect(paneAt(panes, { x: -5, y: -5 }).picture).toBe(0);
  });
});

describe("the line", () => {
  const area = (polygon: readonly { x: number; y: number }[]) =>
    Math.abs(
      polygon.reduce((sum, { x, y }, at) => {
        const next = polygon[(at + 1) % polygon.length] ?? { x, y };
        return sum + x * next.y - next.x * y;
      }, 0),
    ) / 2;
  it.each([0, 30, 90, -135, 180])("at %i degrees cuts a pane into two that make it whole", (angle) => {
    const [control, trial] = halvesOf({ x: 0.3, y: 0.6, angle }, WINDOW);
    expect(area(control) + area(trial)).toBeCloseTo(1, 9);
  });
  it("leaves nothing of the side it is dragged over", () => {
    expect(onSide(halvesOf(UPRIGHT, WINDOW)[0], { ...UPRIGHT, x: 0.6 }, WINDOW, 1)).toHaveLength(0);
  });
  it("is held in the pane, sticky where it is straight, and turned about its grip", () => {
    expect(movedTo(UPRIGHT, { x: 9999, y: -5 }, WINDOW)).toMatchObject({ x: 1, y: 0 });
    expect(turned(UPRIGHT, 88.4).angle).toBe(90);
    expect(turned({ ...UPRIGHT, angle: 170 }, 30).angle).toBe(-160);
    expect(turnedTo(UPRIGHT, { x: 320, y: 300 }, { x: 380, y: 240 }, WINDOW).angle).toBe(-90);
  });
  it("hangs its ring inside the pane", () => {
    const { ring } = places({ x: 0.5, y: 0.98, angle: 0 }, WINDOW);
    expect(ring.y).toBeGreaterThan(0);
    expect(ring.y).toBeLessThan(WINDOW.height);
  });
});

describe("the view", () => {
  it("keeps what is under the pointer when it zooms", () => {
    const view = fit(FRAME, WINDOW);
    const at = { x: 100, y: 77 };
    const before = toPicture(view, at, WINDOW);
    const closer = toPicture(zoomAt(view, 3.7, at, WINDOW), at, WINDOW);
    expect(closer.x).toBeCloseTo(before.x, 9);
    expect(closer.y).toBeCloseTo(before.y, 9);
  });
  it("zooms neither in nor out for ever", () => {
    expect(zoomAt(fit(FRAME, WINDOW), 1e9, { x: 0, y: 0 }, WINDOW).zoom).toBe(64);
    expect(zoomAt(fit(FRAME, WINDOW), 1e-9, { x: 0, y: 0 }, WINDOW).zoom).toBe(1 / 32);
  });
  it("holds the middle in the picture", () => {
    expect(held({ x: -10, y: 1e4, zoom: 1 }, FRAME)).toEqual({ x: 0, y: 180, zoom: 1 });
  });
  it.each([1, 1.25, 2])("puts the picture's corner on a whole pixel at %f pixels a point", (ratio) => {
    const view = aligned({ x: 101.37, y: 60.21, zoom: 1 }, WINDOW, ratio);
    const corner = toScreen(view, { x: -0.5, y: -0.5 }, WINDOW);
    expect((corner.x * ratio) % 1).toBeCloseTo(0, 6);
  });
  it("takes the largest place whose edges are whole pixels", () => {
    const place = snapped({ left: 10.3, top: 0, width: 99.9, height: 50 }, 2);
    expect((10.3 + place.left) * 2).toBeCloseTo(21, 9);
    expect((place.width * 2) % 1).toBeCloseTo(0, 9);
    expect(10.3 + place.left + place.width).toBeLessThanOrEqual(110.2 + 1e-9);
  });
});

describe("colours of maps", () => {
  it("of a difference are the sides', of what has a sign are two, else they rise evenly", () => {
    expect(stopsOf({ name: "difference", scale: "signed" })).toBe(SIDES);
    const even = stopsOf({ name: "noise", scale: "even" }).map(
      ([r, g, b]) => 0.2126 * r + 0.7152 * g + 0.0722 * b,
    );
    expect(even).toEqual([...even].sort((a, b) => a - b));
    expect(gradientOf(SIDES)).toMatch(/^linear-gradient\(to right, rgb\(13 56 115\)/);
  });
});
