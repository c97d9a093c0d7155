import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, body, type Schema } from "../../api/client";
import { day } from "../../parts/format";
import { useRemoval } from "../../parts/Undo";
import { RenderRecipe } from "./RenderRecipe";

type Recipe = Schema["Recipe"];

/** Saved recipes: what each has, in which files it can be taken along, rendered again, compared with another. */
export function RecipeList({ recipes }: { recipes: Recipe[] }) {
  const queries = useQueryClient();
  const removal = useRemoval<Recipe>({
    remove: (row) => api.DELETE("/api/recipes/{id}/", { params: { path: { id: row.id } } }),
    restore: (row) => api.POST("/api/recipes/{id}/restore/", { params: { path: { id: row.id } } }),
    words: (row) => `${titleOf(row)} is taken out of the list.`,
    refresh: () => queries.invalidateQueries({ queryKey: ["recipes"] }),
  });
  const [open, setOpen] = useState<number | null>(null);
  const [other, setOther] = useState<number | null>(null);
  const [rendering, setRendering] = useState<Recipe | null>(null);
  return (
    <>
      {removal.notice}
      <table className="table-plain w-full text-sm" aria-label="Recipes">
        <thead>
          <tr>
            <th scope="col">Recipe</th>
            <th scope="col">For</th>
            <th scope="col">By</th>
            <th scope="col">Found on</th>
            <th scope="col">
              <span className="sr-only">Acts</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {recipes.map((row) => [
            <tr key={row.id} data-recipe={row.id}>
              <th scope="row" className="text-left font-semibold">
                {row.study == null ? (
                  titleOf(row)
                ) : (
                  <Link to={`/studies/${row.study}/decide`} className="quiet-link">
                    {titleOf(row)}
                  </Link>
                )}
                {row.note ? <span className="block font-normal text-soft text-xs">{row.note}</span> : null}
              </th>
              <td>{row.uses.map((use) => use.title.toLowerCase()).join(", ")}</td>
              <td>
                {row.author}
                <span className="block text-soft text-xs">{day(row.created_at)}</span>
              </td>
              <td>{row.scene}</td>
              <td>
                <span className="flex flex-wrap justify-end gap-1.5">
                  <button
                    type="button"
                    className="act"
                    aria-expanded={open === row.id}
                    onClick={() => setOpen(open === row.id ? null : row.id)}
                  >
                    Settings
                  </button>
                  <a className="act flex items-center" href={`/api/recipes/${row.id}/recipe.toml`} download>
                    TOML
                  </a>
                  <a className="act flex items-center" href={`/api/recipes/${row.id}/recipe.json`} download>
                    JSON
                  </a>
                  <button type="button" className="act" onClick={() => setRendering(row)}>
                    Render with it
                  </button>
                  <button
                    type="button"
                    className="act"
                    onClick={() => removal.take(row)}
                    aria-label={`Remove ${titleOf(row)}`}
                  >
                    Remove
                  </button>
                </span>
              </td>
            </tr>,
            open === row.id ? (
              <tr key={`${row.id} open`}>
                <td colSpan={5}>
                  <Settings recipe={row} recipes={recipes} other={other} onOther={setOther} />
                </td>
              </tr>
            ) : null,
          ])}
        </tbody>
      </table>
      {rendering ? <RenderRecipe recipe={rendering} onClose={() => setRendering(null)} /> : null}
    </>
  );
}

export function titleOf(row: Recipe): string {
  return `${row.name}, version ${row.version}`;
}

function Settings(props: {
  recipe: Recipe;
  recipes: Recipe[];
  other: number | null;
  onOther: (id: number | null) => void;
}) {
  const { recipe } = props;
  const others = props.recipes.filter((row) => row.id !== recipe.id);
  const other = others.find((row) => row.id === props.other);
  const [copied, setCopied] = useState(false);
  const lines = recipe.table
    .trimEnd()
    .split("\n")
    .map((line) => line.split("\t"));
  return (
    <div className="py-1">
      <div className="mb-2 flex flex-wrap items-center gap-3">
        <button
          type="button"
          className="act"
          onClick={() => void navigator.clipboard.writeText(recipe.table).then(() => setCopied(true))}
        >
          Copy as a table
        </button>
        <span role="status" className="text-soft">
          {copied ? "Copied: paste it into a sheet or a message." : ""}
        </span>
        {others.length > 0 ? (
          <label className="flex items-center gap-1.5">
            Compare with
            <select
              className="field"
              value={other?.id ?? ""}
              onChange={(event) => props.onOther(event.target.value ? Number(event.target.value) : null)}
            >
              <option value="">none</option>
              {others.map((row) => (
                <option key={row.id} value={row.id}>
                  {titleOf(row)}
                </option>
              ))}
            </select>
          </label>
        ) : null}
      </div>
      {other ? <Differences first={recipe} second={other} /> : <Table lines={lines} />}
    </div>
  );
}

function Table({ lines }: { lines: string[][] }) {
  const [head = [], ...rows] = lines;
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a table longer than its box is scrolled by keyboard
    <div className="max-h-72 overflow-auto" tabIndex={0}>
      <table className="table-plain" aria-label="Settings of the recipe">
        <thead>
          <tr>
            {head.map((cell) => (
              <th key={cell} scope="col">
                {cell || "Setting"}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map(([name = "", ...cells]) => (
            <tr key={name}>
              <th scope="row" className="pr-6 text-left font-normal text-soft">
                {name}
              </th>
              {cells.map((cell, number) => (
                <td key={`${name} ${head[number + 1]}`}>{cell}</td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Differences({ first, second }: { first: Recipe; second: Recipe }) {
  const found = useQuery({
    queryKey: ["recipe against", first.id, second.id],
    queryFn: () =>
      body(
        api.GET("/api/recipes/{id}/against/{other}/", {
          params: { path: { id: first.id, other: second.id } },
        }),
      ),
  });
  if (!found.data) return null;
  if (found.data.length === 0) return <p>They are alike in every setting.</p>;
  return (
    <Table
      lines={[
        ["", titleOf(first), titleOf(second)],
        ...found.data.map((row) => [`${row.use}: ${row.what}`, row.first || "–", row.second || "–"]),
      ]}
    />
  );
}
