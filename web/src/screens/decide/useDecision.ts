import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, body, type Schema } from "../../api/client";
import { decisionQuery } from "../../api/queries";
import { seen } from "../../parts/ChangedMeanwhile";
import { useRemoval } from "../../parts/Undo";
import type { Use } from "./figures";

/** What is changed of a use; a limit of null is taken away. */
export type Change = {
  limit?: { name: string; value: number | null };
  weight?: number;
  by_hand?: number | null;
  reasons?: string;
};

type UseChange = { use: string; change: Change; anyway?: boolean };

/** What a study decides, and the ways to change it. */
export function useDecision(study: number, place: string) {
  const queries = useQueryClient();
  const query = decisionQuery(study, place);
  const decision = useQuery(query);
  const path = (name: string) => ({ params: { path: { id: study, name } } });
  const refresh = () => queries.invalidateQueries({ queryKey: ["decision", study] });
  const key = ["change use", study];
  const change = useMutation({
    mutationKey: key,
    scope: { id: `change use ${study}` }, // one after the other, so that none overwrites another
    mutationFn: ({ use, change: { limit, ...values }, anyway }: UseChange) => {
      const now = queries.getQueryData(query.queryKey)?.uses.find((each) => each.name === use);
      const limits = limit && now ? { limits: now.limits } : {};
      return body(
        api.PATCH("/api/studies/{id}/uses/{name}/", {
          ...path(use),
          body: { ...values, ...limits },
          ...seen(now?.version, anyway),
        }),
      );
    },
    onSuccess: async (answered) => {
      await queries.cancelQueries({ queryKey: ["decision", study] }); // asked before this was written, they would undo it
      queries.setQueryData(
        query.queryKey,
        (old) =>
          old && { ...old, uses: old.uses.map((each) => ({ ...each, ...versionIn(answered, each.name) })) },
      );
    },
    onMutate: async ({ use, change: wanted }) => {
      await queries.cancelQueries({ queryKey: ["decision", study] });
      // what was typed or picked stays as it is while the choice is being made anew
      queries.setQueryData(
        query.queryKey,
        (old) =>
          old && { ...old, uses: old.uses.map((each) => (each.name === use ? changed(each, wanted) : each)) },
      );
    },
    onSettled: () => (queries.isMutating({ mutationKey: key }) > 1 ? undefined : refresh()),
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
      body(
        api.PUT("/api/studies/{id}/production/", {
          params: { path: { id: study } },
          body: values,
          ...seen(queries.getQueryData(query.queryKey)?.production_version),
        }),
      ),
    onSettled: refresh,
  });
  const removal = useRemoval<Use>({
    remove: (use) => api.DELETE("/api/studies/{id}/uses/{name}/", path(use.name)),
    restore: (use) => api.POST("/api/studies/{id}/uses/{name}/restore/", path(use.name)),
    words: (use) => `The use ${use.title.toLowerCase()} is taken away.`,
    refresh,
  });
  return { decision, change, add, production, removal };
}

function changed(use: Use, { limit, weight }: Change): Use {
  if (!limit) return { ...use, weight: weight ?? use.weight };
  const { [limit.name]: _, ...others } = use.limits;
  return { ...use, limits: limit.value === null ? others : { ...others, [limit.name]: limit.value } };
}

function versionIn(decision: Schema["Decision"], name: string): { version?: string } {
  const found = decision.uses.find((each) => each.name === name);
  return found ? { version: found.version } : {};
}
