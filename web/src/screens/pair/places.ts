import type { Schema } from "../../api/client";

type Box = readonly number[];

/** Where the sides differ most: the islands, then the cells that differ by themselves and hold none of them. */
export function placesOf(difference: Schema["Difference"] | null | undefined): Box[] {
  const islands = (difference?.islands ?? []).map((island) => island.box);
  const cells = [...(difference?.zones ?? [])].sort((a, b) => Math.abs(b.percent) - Math.abs(a.percent));
  const others = cells
    .map((cell) => cell.box)
    .filter((box) => !islands.some((island) => overlap(box, island)));
  return [...islands, ...others];
}

function overlap(
  [x = 0, y = 0, width = 0, height = 0]: Box,
  [left = 0, top = 0, across = 0, down = 0]: Box,
): boolean {
  return x < left + across && left < x + width && y < top + down && top < y + height;
}
