import { useQueries } from "@tanstack/react-query";
import { useEffect, useMemo } from "react";
import { api, body, Problem } from "../api/client";
import { pyramidKey } from "../api/queries";
import type { Pyramid } from "./pyramid";
import { tileStore } from "./tiles";

/** What is known of a picture: how it is cut up, or why it cannot be shown; neither while it is being asked for. */
export type Known = { readonly pyramid: Pyramid | null; readonly trouble: string };
export type Pyramids = ReadonlyMap<string, Known>;

/** Pictures by content hash; each stands for itself, so that one that is missing spoils no other. */
export function usePyramids(digests: readonly string[]): Pyramids {
  const asked = [...new Set(digests)].filter(Boolean);
  const rows = useQueries({
    queries: asked.map((digest) => ({
      queryKey: pyramidKey(digest),
      queryFn: () => pyramidOf(digest),
      staleTime: Number.POSITIVE_INFINITY,
      retry: 1,
    })),
    // plain rows stay the same ones while they say the same; a map would be another at each rendering, and drawn anew
    combine: (found) =>
      found.map((row, place) => ({
        digest: asked[place] ?? "",
        pyramid: row.data ?? null,
        trouble: row.error ? troubleWords(row.error) : "",
      })),
  });
  useEffect(() => {
    // what is drawn first is asked for now, and not once there is something to draw on
    for (const { pyramid } of rows)
      if (pyramid) tileStore.need({ pyramid, level: pyramid.levels - 1, column: 0, row: 0 });
  }, [rows]);
  return useMemo(() => new Map(rows.map(({ digest, ...row }) => [digest, row])), [rows]);
}

async function pyramidOf(digest: string): Promise<Pyramid> {
  const shape = await body(api.GET("/api/pictures/{digest}/pyramid/", { params: { path: { digest } } }));
  return { ...shape, digest };
}

function troubleWords(error: Error): string {
  if (error instanceof Problem && error.status === 404)
    return "The picture is missing from the store; run this render again.";
  return `The picture cannot be read: ${error.message}`;
}
