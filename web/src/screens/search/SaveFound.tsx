import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, body, type Schema } from "../../api/client";
import { sessionQuery } from "../../api/queries";
import { NameField } from "../../parts/NameField";
import { Notice } from "../../parts/Notice";

/** Saves what a search found as a recipe: by range of frames, or constant. */
export function SaveFound({ row }: { row: Schema["Search"] }) {
  const session = useQuery(sessionQuery);
  const queries = useQueryClient();
  const [name, setName] = useState("");
  const [author, setAuthor] = useState<string | null>(null);
  const [constant, setConstant] = useState(false);
  const by = author ?? session.data?.name ?? "";
  const save = useMutation({
    mutationFn: () =>
      body(
        api.POST("/api/searches/{id}/recipe/", {
          params: { path: { id: row.id } },
          body: { name, author: by, constant },
        }),
      ),
    onSuccess: () => void queries.invalidateQueries({ queryKey: ["recipes"] }),
  });
  const byRange = (row.joined?.ranges.length ?? 0) > 1;
  return (
    <form
      className="mt-1 flex flex-wrap items-end gap-3"
      aria-label="Save as a recipe"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate();
      }}
    >
      <label>
        <span className="block text-soft text-sm">Recipe</span>
        <input
          className="field w-64"
          value={name}
          maxLength={120}
          placeholder="such as Lantern Street, wall shots"
          onChange={(event) => setName(event.target.value)}
        />
      </label>
      <div className="w-48">
        <NameField value={by} onChange={setAuthor} />
      </div>
      {byRange ? (
        <label>
          <span className="block text-soft text-sm">Settings</span>
          <select
            className="field"
            value={constant ? "constant" : "ranges"}
            onChange={(event) => setConstant(event.target.value === "constant")}
          >
            <option value="ranges">by range of frames</option>
            <option value="constant">constant for all frames</option>
          </select>
        </label>
      ) : null}
      <button type="submit" className="act" disabled={!name.trim() || !by.trim() || save.isPending}>
        Save as a recipe
      </button>
      {row.holds ? null : (
        <p className="max-w-[40rem] text-fault text-sm">
          At full size it changes more than the thresholds; the recipe will say so.
        </p>
      )}
      {save.data ? (
        <span role="status">
          Saved as {save.data.name}, version {save.data.version}; see the{" "}
          <Link to="/recipes" className="quiet-link">
            recipes
          </Link>
          .
        </span>
      ) : null}
      {save.error ? (
        <Notice kind="fault">
          <p>{save.error.message}</p>
        </Notice>
      ) : null}
    </form>
  );
}
