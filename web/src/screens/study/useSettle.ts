import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api } from "../../api/client";
import { askAgain } from "../../api/events";

/** Queues what would settle a study's answer. */
export function useSettle(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () => api.POST("/api/studies/{id}/settle/", { params: { path: { id: study } } }),
    onSuccess: () => askAgain(queries, "runs", "measured"),
  });
}
