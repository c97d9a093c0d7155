import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, body, type Schema } from "../../api/client";
import { Notice } from "../../parts/Notice";
import { SIDE_TITLE } from "../../parts/Side";

/** Makes one side's first two seeds a reference of its setup. */
export function MakeReference({ pair }: { pair: Schema["Pair"] }) {
  const queries = useQueryClient();
  const make = useMutation({
    mutationFn: (option: number) =>
      body(api.POST("/api/references/from-option/", { body: { option, title: "" } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["references"] }),
  });
  return (
    <>
      <p className="text-soft text-sm">
        A side with many samples can be what renders of this view are judged against.
      </p>
      <div className="mt-1 flex gap-2">
        {pair.study.options.map((option) => (
          <button
            key={option.id}
            type="button"
            className="act"
            disabled={make.isPending}
            onClick={() => make.mutate(option.id)}
          >
            Use the {SIDE_TITLE[option.side].toLowerCase()}
          </button>
        ))}
      </div>
      {make.data ? (
        <p role="status" className="mt-1 text-sm">
          It is a reference of{" "}
          <Link to={`/scenes/${make.data.scene}`} className="quiet-link">
            its view
          </Link>{" "}
          now{make.data.twin ? ", with its twin" : "; without a twin its own noise is unknown"}.
        </p>
      ) : null}
      {make.error ? (
        <Notice kind="fault">
          <p>{make.error.message}</p>
        </Notice>
      ) : null}
    </>
  );
}
