import { useEffect, useState } from "react";

const MOST_BYTES = 600e6;
const AT_ONCE = 6;

/** What all frames are shrunk to so that they fit into memory together; 1 where they do as they are. */
export function shrunkTo(count: number, [width, height]: [number, number]): number {
  return Math.min(1, Math.sqrt(MOST_BYTES / Math.max(4 * count * width * height, 1)));
}

/** Decoded pictures by their address, as they come, some at a time; all are kept while the page is open. */
export function useFrames(
  addresses: string[],
  size: [number, number],
): { pictures: Map<string, ImageBitmap>; failed: number } {
  const [pictures, setPictures] = useState(new Map<string, ImageBitmap>());
  const [failed, setFailed] = useState(0);
  const words = addresses.join("\n");
  useEffect(() => {
    let here = true;
    const made: ImageBitmap[] = [];
    setFailed(0);
    const wanted = [...new Set(words.split("\n").filter(Boolean))];
    const scale = shrunkTo(wanted.length, size);
    const shrunk: ImageBitmapOptions =
      scale < 1 ? { resizeWidth: Math.max(Math.round(scale * size[0]), 1), resizeQuality: "medium" } : {};
    const load = async (address: string) => {
      const answer = await fetch(address);
      if (!answer.ok) throw new Error(`${answer.status}`);
      const picture = await createImageBitmap(await answer.blob(), shrunk);
      if (!here) {
        picture.close();
        return;
      }
      made.push(picture);
      setPictures((old) => new Map(old).set(address, picture));
    };
    const next = async () => {
      for (let address = wanted.shift(); address !== undefined && here; address = wanted.shift())
        await load(address).catch(() => here && setFailed((count) => count + 1));
    };
    for (let lane = 0; lane < AT_ONCE; lane++) void next();
    return () => {
      here = false;
      setPictures(new Map());
      for (const picture of made) picture.close();
    };
  }, [words, size[0], size[1]]);
  return { pictures, failed };
}
