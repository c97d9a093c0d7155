import { describe, expect, it } from "vitest";
import { cellAt, moved, type Place } from "../src/screens/study/grid";

const size = { rows: 30, columns: 5 };
const go = (from: Place, key: string, ctrlKey = false) => moved(from, { key, ctrlKey }, size);

describe("the keys of a grid", () => {
  it("go cell by cell, up into the head, and never out", () => {
    expect(go({ row: 0, column: 0 }, "ArrowDown")).toEqual({ row: 1, column: 0 });
    expect(go({ row: 0, column: 2 }, "ArrowUp")).toEqual({ row: -1, column: 2 });
    expect(go({ row: -1, column: 2 }, "ArrowUp")).toEqual({ row: -1, column: 2 });
    expect(go({ row: 29, column: 4 }, "ArrowDown")).toEqual({ row: 29, column: 4 });
    expect(go({ row: 3, column: 4 }, "ArrowRight")).toEqual({ row: 3, column: 4 });
    expect(go({ row: 3, column: 0 }, "ArrowLeft")).toEqual({ row: 3, column: 0 });
  });

  it("go by pages among the rows alone, and to both ends", () => {
    expect(go({ row: 4, column: 1 }, "PageUp")).toEqual({ row: 0, column: 1 });
    expect(go({ row: 4, column: 1 }, "PageDown")).toEqual({ row: 14, column: 1 });
    expect(go({ row: 25, column: 1 }, "PageDown")).toEqual({ row: 29, column: 1 });
    expect(go({ row: 4, column: 3 }, "Home")).toEqual({ row: 4, column: 0 });
    expect(go({ row: 4, column: 3 }, "End")).toEqual({ row: 4, column: 4 });
    expect(go({ row: 4, column: 3 }, "Home", true)).toEqual({ row: 0, column: 0 });
    expect(go({ row: 4, column: 3 }, "End", true)).toEqual({ row: 29, column: 4 });
  });

  it("leave other keys alone, and an empty table to its head", () => {
    expect(go({ row: 4, column: 3 }, "p")).toBeNull();
    expect(
      moved({ row: 0, column: 0 }, { key: "ArrowDown", ctrlKey: false }, { rows: 0, columns: 5 }),
    ).toEqual({
      row: -1,
      column: 0,
    });
  });

  it("mark the one cell where they are", () => {
    expect(cellAt(2, 1, { row: 2, column: 1 })["data-here"]).toBe(true);
    expect(cellAt(2, 1, { row: 2, column: 3 })["data-here"]).toBeUndefined();
    expect(cellAt(2, 1, null)).toMatchObject({ id: "run-cell-2-1", "aria-colindex": 2 });
  });
});
