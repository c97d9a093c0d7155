import { useMutation } from "@tanstack/react-query";
import { api, body, type Schema } from "../../api/client";

/** Changes some of a set's own values; what is left out stays as it is. */
export function useChangeSet(id: number, onChanged: () => void) {
  return useMutation({
    mutationFn: (values: Partial<Schema["AskedSetRequest"]>) =>
      body(
        api.PATCH("/api/imports/{id}/", {
          params: { path: { id } },
          body: values as Schema["AskedSetRequest"],
        }),
      ),
    onSettled: onChanged,
  });
}
