import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api } from "../../api/client";
import { troublesQuery } from "../../api/queries";
import { Notice } from "../../parts/Notice";

/** What could not be measured or taken in: each with its reason, and asked for again by hand. */
export function SetAside() {
  const { data } = useQuery(troublesQuery);
  const queries = useQueryClient();
  const again = useMutation({
    mutationFn: (id: number) => api.POST("/api/troubles/{id}/again/", { params: { path: { id } } }),
    onSettled: () => queries.invalidateQueries({ queryKey: ["troubles"] }),
  });
  if (!data || data.length === 0) return null;
  return (
    <div className="mt-3">
      <Notice kind="fault">
        <h2 className="font-semibold">
          {data.length === 1
            ? "One piece of work was set aside"
            : `${data.length} pieces of work were set aside`}
        </h2>
        <p className="mt-1">
          Everything else goes on.{" "}
          {data.length === 1
            ? "It is tried anew by itself when its renders change."
            : "They are tried anew by themselves when their renders change."}
        </p>
        <ul className="mt-2 grid gap-2">
          {data.map((row) => (
            <li key={row.id} className="flex items-baseline gap-3">
              <span className="min-w-0 flex-1">
                The measurer {row.about}: <span className="break-words">{row.reason}</span> (tried {row.tries}{" "}
                times)
              </span>
              <button
                type="button"
                className="act"
                disabled={again.isPending}
                onClick={() => again.mutate(row.id)}
              >
                Try again
              </button>
            </li>
          ))}
        </ul>
      </Notice>
    </div>
  );
}
