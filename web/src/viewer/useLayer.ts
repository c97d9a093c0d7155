import { useQueries, useQuery } from "@tanstack/react-query";
import { api, body, type Schema } from "../api/client";
import { type ShownLayer, sharedRange } from "./layers";
import { pixelsQuery } from "./usePictures";

const WHILE_MADE = 700;

/** Where the maps of a pair come from. */
export type LayerSource = { readonly pair: number; readonly control: number; readonly trial: number };

export type LayerState =
  | { state: "none" }
  | { state: "making"; title: string }
  | { state: "refused"; title: string; reason: string }
  | { state: "there"; shown: ShownLayer };

/** A map by name: asked for, followed while it is made, and its pixels once it is there. */
export function useLayer(kind: Schema["LayerKind"] | null, source: LayerSource): LayerState {
  const both = kind?.of === "render" ? [source.control, source.trial] : [];
  const sides = useQueries({
    queries: both.map((option) => layerQuery(kind?.name ?? "", "options", option)),
  });
  const whole = useQuery({
    ...layerQuery(kind?.name ?? "", "pairs", source.pair),
    enabled: kind?.of === "pair",
  });
  const rows = kind?.of === "render" ? sides.map((side) => side.data) : [whole.data, whole.data];
  const failed = [...sides, whole].find((query) => query.error)?.error;
  const pictures = useQueries({
    queries: rows.map((row) => ({ ...pixelsQuery(row?.picture ?? ""), enabled: Boolean(row?.picture) })),
  });
  if (!kind) return { state: "none" };
  if (failed) return { state: "refused", title: kind.title, reason: failed.message };
  const broken = pictures.find((picture) => picture.error)?.error;
  if (broken) return { state: "refused", title: kind.title, reason: broken.message };
  const refused = rows.map((row) => (row?.state === "refused" ? row.refused : ""));
  const [first, second] = refused;
  if (first && second) return { state: "refused", title: kind.title, reason: first };
  const layer = rows.find((row) => row?.state === "ready");
  const [control, trial] = pictures.map((picture) => picture.data ?? null);
  const waits = rows.some((row, side) => !refused[side] && (row?.state !== "ready" || !pictures[side]?.data));
  if (!layer || waits) return { state: "making", title: kind.title };
  const [low, high] = sharedRange(
    rows.map((row) => ({ low: row?.low ?? null, high: row?.high ?? null })),
    layer.scale === "signed",
  );
  const missing = first ? `Control: no map, ${first}` : second ? `Trial: no map, ${second}` : "";
  return {
    state: "there",
    shown: { layer, control: control ?? null, trial: trial ?? null, missing, low, high },
  };
}

function layerQuery(name: string, of: "options" | "pairs", id: number) {
  return {
    queryKey: ["layer", of, id, name],
    queryFn: () => asked(of, id, name),
    refetchInterval: (query: { state: { data?: Schema["Layer"] } }) =>
      query.state.data?.state === "wanted" ? WHILE_MADE : (false as const),
    staleTime: 5000,
  };
}

function asked(of: "options" | "pairs", id: number, name: string): Promise<Schema["Layer"]> {
  const path = { path: { id, name } };
  return of === "options"
    ? body(api.POST("/api/options/{id}/layers/{name}/", { params: path }))
    : body(api.POST("/api/pairs/{id}/layers/{name}/", { params: path }));
}
