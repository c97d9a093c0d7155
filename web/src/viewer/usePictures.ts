import { useQuery } from "@tanstack/react-query";
import { fetchPixels, type Pixels } from "./pixels";

export type Pictures =
  | { state: "loading" }
  | { state: "failed"; side: "control" | "trial"; error: Error }
  | { state: "there"; control: Pixels; trial: Pixels };

/** Both pictures' pixels by content hash; they never change, so they are kept while the page lives. */
export function usePictures(control: string, trial: string): Pictures {
  const left = useQuery(pixelsQuery(control));
  const right = useQuery(pixelsQuery(trial));
  if (left.error) return { state: "failed", side: "control", error: left.error };
  if (right.error) return { state: "failed", side: "trial", error: right.error };
  if (!left.data || !right.data) return { state: "loading" };
  return { state: "there", control: left.data, trial: right.data };
}

/** A picture's pixels by content hash, of a render or a map. */
export function pixelsQuery(digest: string) {
  return {
    queryKey: ["pixels", digest],
    queryFn: ({ signal }: { signal: AbortSignal }) => fetchPixels(digest, signal),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    retry: 1,
  };
}
