import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, body } from "../../api/client";
import { recipesQuery } from "../../api/queries";
import { FileDrop } from "../../parts/FileDrop";
import { Failed, Loading, Notice } from "../../parts/Notice";
import { useTitle } from "../../parts/useTitle";
import { RecipeList, titleOf } from "./RecipeList";

/** All recipes, and a place for those that come as files. */
export function RecipesPage() {
  const queries = useQueryClient();
  const recipes = useQuery(recipesQuery());
  useTitle("Recipes");
  const take = useMutation({
    mutationFn: async (files: File[]) => {
      const taken = [];
      for (const file of files)
        taken.push(await body(api.POST("/api/recipes/", { body: { text: await file.text() } })));
      return taken;
    },
    onSettled: () => void queries.invalidateQueries({ queryKey: ["recipes"] }),
  });
  if (recipes.error && !recipes.data)
    return <Failed what="recipes" error={recipes.error} retry={() => void recipes.refetch()} />;
  if (!recipes.data) return <Loading what="recipes" />;
  const { data } = recipes;
  return (
    <div className="px-6 py-6">
      <h1 className="text-xl font-semibold">
        {data.length === 0
          ? "No recipe yet: decide in a study, and save what it chose."
          : `${data.length} ${data.length === 1 ? "recipe" : "recipes"}, ready to render again.`}
      </h1>
      {data.length > 0 ? (
        <div className="mt-4">
          <RecipeList recipes={data} />
        </div>
      ) : null}
      <div className="mt-6 max-w-[36rem]">
        <FileDrop accept=".toml,.json" many onFiles={take.mutate}>
          <span className="font-semibold">Import recipe</span>
          <span className="block text-soft text-sm">Drop a TOML or JSON file here, or choose one.</span>
        </FileDrop>
        {take.error ? (
          <Notice kind="fault">
            <p>{take.error.message}</p>
          </Notice>
        ) : null}
        {take.data ? (
          <p role="status" className="mt-1 text-sm">
            {take.data.map(titleOf).join(", ")} taken in.
          </p>
        ) : null}
      </div>
    </div>
  );
}
