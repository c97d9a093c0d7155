import { replaceEqualDeep, useQueries, useQuery } from "@tanstack/react-query";
import { useRef } from "react";
import { api, body, type Schema } from "../api/client";
import { askAgainAfter } from "../api/events";
import { isSigned, type ShownLayer, type Spot, sharedRange } from "./layers";
import { usePyramids } from "./usePyramids";

const WHILE_MADE = 700;
const NONE: readonly Spot[] = [];

/** Where the maps of a pair come from. */
export type LayerSource = { readonly pair: number; readonly control: number; readonly trial: number };

export type LayerState =
  | { state: "none" }
  | { state: "making"; title: string }
  | { state: "refused"; title: string; reason: string }
  | { state: "there"; shown: ShownLayer };

/** A map by name: asked for, followed while it is made, and how it is cut up once it is there. The same one as long as it
 * says the same: another would be drawn anew. */
export function useLayer(kind: Schema["LayerKind"] | null, source: LayerSource | null): LayerState {
  const now = useLayerNow(kind, source);
  const kept = useRef(now);
  kept.current = replaceEqualDeep(kept.current, now);
  return kept.current;
}

function useLayerNow(kind: Schema["LayerKind"] | null, source: LayerSource | null): LayerState {
  const both = kind?.of === "render" && source ? [source.control, source.trial] : [];
  const sides = useQueries({
    queries: both.map((option) => layerQuery(kind?.name ?? "", "options", option)),
  });
  const whole = useQuery({
    ...layerQuery(kind?.name ?? "", "pairs", source?.pair ?? 0),
    enabled: kind?.of === "pair" && source !== null,
  });
  const rows = kind?.of === "render" ? sides.map((side) => side.data) : [whole.data, whole.data];
  const failed = [...sides, whole].find((query) => query.error)?.error;
  const pictures = usePyramids(rows.map((row) => row?.picture ?? ""));
  const spots = useQueries({
    queries: rows.map((row) => ({
      ...spotsQuery(row?.picture ?? ""),
      enabled: Boolean(row?.picture) && kind?.scale === "spots",
    })),
  });
  if (!kind || !source) return { state: "none" };
  if (failed) return { state: "refused", title: kind.title, reason: failed.message };
  const known = rows.map((row) => (row?.picture ? pictures.get(row.picture) : undefined));
  const broken =
    known.find((each) => each?.trouble)?.trouble ?? spots.find((each) => each.error)?.error?.message;
  if (broken) return { state: "refused", title: kind.title, reason: broken };
  const refused = rows.map((row) => (row?.state === "refused" ? row.refused : ""));
  const [first, second] = refused;
  if (first && second) return { state: "refused", title: kind.title, reason: first };
  const layer = rows.find((row) => row?.state === "ready");
  const marked = kind.scale === "spots";
  const waits = rows.some(
    (row, side) =>
      !refused[side] && (row?.state !== "ready" || !known[side]?.pyramid || (marked && !spots[side]?.data)),
  );
  if (!layer || waits) return { state: "making", title: kind.title };
  const [low, high] = sharedRange(
    rows.map((row) => ({ low: row?.low ?? null, high: row?.high ?? null })),
    isSigned(layer.scale),
  );
  const missing = first ? `Control: no map, ${first}` : second ? `Trial: no map, ${second}` : "";
  const [control = null, trial = null] = known.map((each) => each?.pyramid ?? null);
  return {
    state: "there",
    shown: {
      layer,
      control,
      trial,
      missing,
      low,
      high,
      spots: [spots[0]?.data ?? NONE, spots[1]?.data ?? NONE],
    },
  };
}

function layerQuery(name: string, of: "options" | "pairs", id: number) {
  return {
    queryKey: ["layer", of, id, name],
    queryFn: () => asked(of, id, name),
    refetchInterval: (query: { state: { data?: Schema["Layer"] } }) =>
      query.state.data?.state === "wanted" ? askAgainAfter(WHILE_MADE) : (false as const),
    staleTime: 5000,
  };
}

function spotsQuery(digest: string) {
  return {
    queryKey: ["spots", digest],
    queryFn: async () => {
      const { spots } = await body(
        api.GET("/api/pictures/{digest}/spots/", { params: { path: { digest } } }),
      );
      return spots.map(([x = 0, y = 0, value = 0]): Spot => ({ x, y, value }));
    },
    staleTime: Number.POSITIVE_INFINITY,
  };
}

function asked(of: "options" | "pairs", id: number, name: string): Promise<Schema["Layer"]> {
  const path = { path: { id, name } };
  return of === "options"
    ? body(api.POST("/api/options/{id}/layers/{name}/", { params: path }))
    : body(api.POST("/api/pairs/{id}/layers/{name}/", { params: path }));
}
