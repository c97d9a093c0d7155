import type { SideName } from "../parts/Side";
import type { Pyramid } from "./pyramid";
import type { Pyramids } from "./usePyramids";
import type { Size } from "./viewport";

/** A picture that the viewer shows; the first two are control and trial, others have no side. */
export type Viewed = {
  readonly key: string;
  readonly title: string;
  readonly side: SideName | null;
  /** Content hash; empty when there is none. */
  readonly picture: string;
  readonly passes: Readonly<Record<string, string>>;
  /** Time and noise in words. */
  readonly note: string;
};

/** The same with what is known of its pixels, for the pass that is shown and the one laid over it. */
export type Resolved = Viewed & {
  readonly pyramid: Pyramid | null;
  readonly over: Pyramid | null;
  /** Why nothing is shown, or not all of it; empty when it is, and while it is coming. */
  readonly trouble: string;
};

/** The content hashes that a choice of passes shows. */
export function digestsOf(viewed: readonly Viewed[], pass: string, over: string): string[] {
  return viewed.flatMap((each) => [pass ? (each.passes[pass] ?? "") : each.picture, each.passes[over] ?? ""]);
}

export function resolved(
  viewed: readonly Viewed[],
  pyramids: Pyramids,
  pass: string,
  over: string,
): Resolved[] {
  return viewed.map((each) => {
    const shown = pass ? (each.passes[pass] ?? "") : each.picture;
    const laid = over ? (each.passes[over] ?? "") : "";
    const known = pyramids.get(shown);
    const knownOver = pyramids.get(laid);
    const lacks = pass && !shown ? `It has no pass ${pass}.` : shown ? "" : "It has no picture.";
    const lacksOver = over && !laid ? `It has no pass ${over} to lay over it.` : "";
    return {
      ...each,
      pyramid: known?.pyramid ?? null,
      over: knownOver?.pyramid ?? null,
      trouble: lacks || known?.trouble || lacksOver || knownOver?.trouble || "",
    };
  });
}

/** The passes that at least one of the pictures has. */
export function passesOf(viewed: readonly Viewed[]): string[] {
  return [...new Set(viewed.flatMap((each) => Object.keys(each.passes)))].sort();
}

/** The size that all are shown at: that of the first whose size is known. */
export function frameOf(pictures: readonly Resolved[]): Size | null {
  const first = pictures.find((each) => each.pyramid)?.pyramid;
  return first ? { width: first.width, height: first.height } : null;
}
