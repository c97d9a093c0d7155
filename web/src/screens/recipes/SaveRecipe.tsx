import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, body } from "../../api/client";
import { recipesQuery, sessionQuery } from "../../api/queries";
import { NameField } from "../../parts/NameField";
import { Notice } from "../../parts/Notice";
import { RecipeList } from "./RecipeList";

/** Saves the choices of a study as the next version of a recipe, and lists those saved before. */
export function SaveRecipe({ study, can }: { study: number; can: boolean }) {
  const queries = useQueryClient();
  const session = useQuery(sessionQuery);
  const recipes = useQuery(recipesQuery(study));
  const newest = recipes.data?.[0];
  const [name, setName] = useState<string | null>(null);
  const [author, setAuthor] = useState<string | null>(null);
  const [note, setNote] = useState("");
  const shown = name ?? newest?.name ?? "";
  const by = author ?? session.data?.name ?? "";
  const save = useMutation({
    mutationFn: () =>
      body(
        api.POST("/api/studies/{id}/recipes/", {
          params: { path: { id: study } },
          body: { name: shown, author: by, note },
        }),
      ),
    onSuccess: () => {
      setNote("");
      void queries.invalidateQueries({ queryKey: ["recipes"] });
    },
  });
  return (
    <>
      <form
        className="flex flex-wrap items-end gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          save.mutate();
        }}
      >
        <label className="min-w-48 flex-1">
          <span className="block text-soft text-sm">Recipe</span>
          <input
            className="field w-full"
            value={shown}
            maxLength={120}
            placeholder="such as Lantern Street, stall shots"
            onChange={(event) => setName(event.target.value)}
          />
        </label>
        <NameField value={by} onChange={setAuthor} />
        <label className="min-w-60 flex-[2]">
          <span className="block text-soft text-sm">Note</span>
          <input
            className="field w-full"
            value={note}
            maxLength={4000}
            onChange={(event) => setNote(event.target.value)}
          />
        </label>
        <button
          type="submit"
          className="act"
          data-kind="main"
          disabled={!can || !shown.trim() || !by.trim() || save.isPending}
        >
          {newest && newest.name === shown ? `Save version ${newest.version + 1}` : "Save the recipe"}
        </button>
      </form>
      {can ? null : <p className="mt-1 text-soft text-sm">There is no choice to save yet.</p>}
      {save.error ? (
        <Notice kind="fault">
          <p>{save.error.message}</p>
        </Notice>
      ) : null}
      {recipes.data && recipes.data.length > 0 ? (
        <div className="mt-4">
          <RecipeList recipes={recipes.data} />
        </div>
      ) : null}
    </>
  );
}
