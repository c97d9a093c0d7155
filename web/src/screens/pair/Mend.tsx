import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { api, body, type Schema } from "../../api/client";
import { askAgain } from "../../api/events";
import { MatchSheet } from "../../parts/MatchSheet";
import { Notice } from "../../parts/Notice";

/** The match sheet of a pair, with what a click would render to make a condition held. */
export function MendableSheet({ pair }: { pair: Schema["Pair"] }) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const mend = useMutation({
    mutationFn: (condition: string) =>
      body(api.POST("/api/pairs/{id}/mend/", { params: { path: { id: pair.id } }, body: { condition } })),
    onSuccess: (made) => {
      void askAgain(queries, "runs", "measured");
      if (made.pair !== pair.id) navigate(`/pairs/${made.pair}`);
    },
  });
  return (
    <>
      <MatchSheet sheet={pair.match_sheet} mending={{ mend: mend.mutate, busy: mend.isPending }} />
      {mend.data ? (
        <p role="status" className="mt-1 text-sm">
          {mend.data.runs === 0
            ? "It is rendered already."
            : `${mend.data.runs} renders are queued; the figures follow.`}
        </p>
      ) : null}
      {mend.error ? (
        <Notice kind="fault">
          <p>{mend.error.message}</p>
        </Notice>
      ) : null}
    </>
  );
}
