import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, body, type Schema } from "../../api/client";
import { undescribedQuery } from "../../api/queries";
import { Notice } from "../../parts/Notice";

/** Folders among the scenes that none uses: a description is proposed for each, to be corrected and kept. */
export function Undescribed() {
  const found = useQuery(undescribedQuery).data ?? [];
  if (found.length === 0) return null;
  return (
    <section className="mt-5" aria-label="Folders without a scene">
      {found.map((each) => (
        <Proposal key={each.folder} proposed={each} />
      ))}
    </section>
  );
}

function Proposal({ proposed }: { proposed: Schema["Undescribed"] }) {
  const [text, setText] = useState(proposed.text);
  const queries = useQueryClient();
  const keep = useMutation({
    mutationFn: () => body(api.POST("/api/scenes/undescribed/", { body: { folder: proposed.folder, text } })),
    onSuccess: () =>
      Promise.all(
        ["scenes", "undescribed"].map((queryKey) => queries.invalidateQueries({ queryKey: [queryKey] })),
      ),
  });
  return (
    <details className="mb-3 border border-line px-4 py-2">
      <summary>
        The folder <b className="font-semibold">{proposed.folder}</b> belongs to no scene yet. Describe it,
        and it can be rendered.
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
            Proposed from its files; correct what is not so. Kept as {proposed.folder}.scene.toml beside the
            folder.
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
