import { useEffect, useState } from "react";

/** Decoded pictures by their address, as they come; all are asked for at once and kept while the page is open. */
export function useFrames(addresses: string[]): { pictures: Map<string, ImageBitmap>; failed: number } {
  const [pictures, setPictures] = useState(new Map<string, ImageBitmap>());
  const [failed, setFailed] = useState(0);
  const words = addresses.join("\n");
  useEffect(() => {
    let here = true;
    const made: ImageBitmap[] = [];
    setFailed(0);
    const wanted = [...new Set(words.split("\n").filter(Boolean))];
    const load = async (address: string) => {
      const answer = await fetch(address);
      if (!answer.ok) throw new Error(`${answer.status}`);
      const picture = await createImageBitmap(await answer.blob());
      made.push(picture);
      if (here) setPictures((old) => new Map(old).set(address, picture));
    };
    for (const address of wanted) load(address).catch(() => here && setFailed((count) => count + 1));
    return () => {
      here = false;
      setPictures(new Map());
      for (const picture of made) picture.close();
    };
  }, [words]);
  return { pictures, failed };
}
