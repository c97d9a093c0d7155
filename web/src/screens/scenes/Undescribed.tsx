import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, body, type Schema } from "../../api/client";
import { undescribedQuery } from "../../api/queries";
import { Notice } from "../../parts/Notice";

/** Folders and files among the scenes that none uses: a description is proposed for each, to be corrected and kept. `open`
 * shows the first at once, where nothing else is there to do. */
export function Undescribed({ open }: { open: boolean }) {
  const found = useQuery(undescribedQuery).data ?? [];
  if (found.length === 0) return null;
  return (
    <section className="mt-5" aria-label="Files without a scene">
      {found.map((each, place) => (
        <Proposal key={each.place} proposed={each} open={open && place === 0} />
      ))}
    </section>
  );
}

function Proposal({ proposed, open }: { proposed: Schema["Undescribed"]; open: boolean }) {
  const [text, setText] = useState(proposed.text);
  const queries = useQueryClient();
  const keep = useMutation({
    mutationFn: () => body(api.POST("/api/scenes/undescribed/", { body: { place: proposed.place, text } })),
    onSuccess: () =>
      Promise.all(
        ["scenes", "undescribed"].map((queryKey) => queries.invalidateQueries({ queryKey: [queryKey] })),
      ),
  });
  return (
    <details open={open} className="mb-3 border border-line px-4 py-2">
      <summary>
        <b className="font-semibold">{proposed.place}</b> belongs to no scene yet. Describe it, and it can be
        rendered.
      </summary>
      <form
        className="mt-2"
        onSubmit={(event) => {
          event.preventDefault();
          keep.mutate();
        }}
      >
        <label className="block">
          <span className="block text-soft text-sm">
            Proposed from what is there; correct what is not so. Kept beside it as {proposed.kept_as}.
          </span>
          <textarea
            className="field w-full font-mono text-sm"
            rows={Math.min(text.split("\n").length + 1, 24)}
            value={text}
            spellCheck={false}
            onChange={(event) => setText(event.target.value)}
          />
        </label>
        <div className="mt-2 flex items-center gap-3">
          <button type="submit" className="act" data-kind="main" disabled={keep.isPending || !text.trim()}>
            Keep this description
          </button>
          {text === proposed.text ? null : (
            <button type="button" className="act" onClick={() => setText(proposed.text)}>
              As proposed
            </button>
          )}
        </div>
        {keep.error ? (
          <Notice kind="fault">
            <p>{keep.error.message}</p>
          </Notice>
        ) : null}
      </form>
    </details>
  );
}
