import { describe, expect, it } from "vitest";
import { draggedFile } from "../src/app/carry";
import { copied } from "../src/parts/format";

const HASH = "ab".repeat(32);

describe("what goes into other programs", () => {
  it("a picture is dragged out as its stored file, under a name that any system takes", () => {
    const file = draggedFile(
      `http://here/api/pictures/${HASH}/thumbnail/`,
      "Tansy, 32/64: rays",
      "http://here",
    );
    expect(file?.link).toBe(`http://here/api/pictures/${HASH}/file/`);
    expect(file?.download).toBe(`image/x-exr:Tansy 32 64 rays.exr:http://here/api/pictures/${HASH}/file/`);
    expect(draggedFile(`/api/pictures/${HASH}/shown/?exposure=2`, "", "")?.download).toContain(
      "abababab.exr",
    );
    expect(draggedFile("/mark.svg", "mark", "")).toBeNull();
    expect(draggedFile("/api/pictures/undefined/", "", "")).toBeNull();
  });

  it("a figure is copied with its unit and its interval", () => {
    expect(copied(3.654, "s", [3.39, 3.92])).toBe("3.65 s (3.39 to 3.92)");
    expect(copied(0.5, "", null)).toBe("0.500");
  });
});
