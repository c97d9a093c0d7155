import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, body, type Schema } from "../../api/client";
import { decisionQuery } from "../../api/queries";
import { useRemoval } from "../../parts/Undo";
import type { Use } from "./figures";

type Change = Schema["PatchedUseRequest"];

/** What a study decides, and the ways to change it. */
export function useDecision(study: number, place: string) {
  const queries = useQueryClient();
  const decision = useQuery(decisionQuery(study, place));
  const path = (name: string) => ({ params: { path: { id: study, name } } });
  const refresh = () => queries.invalidateQueries({ queryKey: ["decision", study] });
  const change = useMutation({
    mutationFn: ({ name, ...values }: Change & { name: string }) =>
      body(api.PATCH("/api/studies/{id}/uses/{name}/", { ...path(name), body: values })),
    onSuccess: refresh,
  });
  const add = useMutation({
    mutationFn: (title: string) =>
      body(
        api.POST("/api/studies/{id}/uses/", {
          params: { path: { id: study } },
          body: { title, limits: {}, weight: 0 },
        }),
      ),
    onSuccess: refresh,
  });
  const production = useMutation({
    mutationFn: (values: Schema["ProductionRequest"]) =>
      body(api.PUT("/api/studies/{id}/production/", { params: { path: { id: study } }, body: values })),
    onSuccess: refresh,
  });
  const removal = useRemoval<Use>({
    remove: (use) => api.DELETE("/api/studies/{id}/uses/{name}/", path(use.name)),
    restore: (use) => api.POST("/api/studies/{id}/uses/{name}/restore/", path(use.name)),
    words: (use) => `The use ${use.title.toLowerCase()} is taken away.`,
    refresh,
  });
  return { decision, change, add, production, removal };
}
