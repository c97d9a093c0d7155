import { Problem } from "../api/client";

/** A picture's pixels as the server gives them: four half floats each (red, green, blue, valid), rows from the top. */
export type Pixels = {
  readonly width: number;
  readonly height: number;
  readonly halves: Uint16Array<ArrayBuffer>;
};

export async function fetchPixels(digest: string, signal?: AbortSignal): Promise<Pixels> {
  const answer = await fetch(`/api/pictures/${digest}/pixels/`, { signal: signal ?? null });
  if (!answer.ok) {
    const why = answer.status === 404 ? "is missing from the store; run this render again" : "cannot be read";
    throw new Problem(answer.status, "Picture missing", `The picture ${why}.`, {});
  }
  const width = Number(answer.headers.get("Picture-Width"));
  const height = Number(answer.headers.get("Picture-Height"));
  const halves = new Uint16Array(await answer.arrayBuffer());
  if (halves.length !== width * height * 4) throw new Error("The picture arrived incomplete.");
  return { width, height, halves };
}

/** Linear red, green and blue at a pixel, or null outside and where the pixel is not valid. */
export function valueAt(pixels: Pixels, x: number, y: number): [number, number, number] | null {
  const column = Math.floor(x);
  const row = Math.floor(y);
  if (column < 0 || row < 0 || column >= pixels.width || row >= pixels.height) return null;
  const at = (row * pixels.width + column) * 4;
  const [r, g, b, valid] = [0, 1, 2, 3].map((channel) => fromHalf(pixels.halves[at + channel] ?? 0));
  return valid === 0 ? null : [r ?? 0, g ?? 0, b ?? 0];
}

/** IEEE 754 binary16 to a number. */
export function fromHalf(half: number): number {
  const sign = half & 0x8000 ? -1 : 1;
  const exponent = (half >> 10) & 0x1f;
  const fraction = half & 0x3ff;
  if (exponent === 0) return sign * fraction * 2 ** -24;
  if (exponent === 31) return fraction ? Number.NaN : sign * Number.POSITIVE_INFINITY;
  return sign * (1 + fraction / 1024) * 2 ** (exponent - 15);
}
