import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, body, type Schema } from "../../api/client";
import { scenesQuery } from "../../api/queries";
import { bytes, three } from "../../parts/format";
import { Notice } from "../../parts/Notice";
import { BeforeAfterForm } from "./BeforeAfterForm";
import { WriteCopies } from "./WriteCopies";

type Plan = Schema["TexturePlan"];
type Copies = Schema["Copies"];

/** The reduced copies that are there, what rendering with them changed, and ways to write and delete them. */
export function CopiesList({ plan, onPlan }: { plan: Plan; onPlan: (plan: Plan) => void }) {
  const queries = useQueryClient();
  const scenes = useQuery({ ...scenesQuery, enabled: plan.scene !== "" });
  const done = (made: Plan) => {
    onPlan(made);
    void queries.invalidateQueries({ queryKey: ["scenes"] });
  };
  const remove = useMutation({
    mutationFn: (name: string) =>
      body(api.DELETE("/api/textures/copies/", { params: { query: { place: plan.place, name } } })),
    onSuccess: done,
  });
  const scene = scenes.data?.scenes.find((each) => each.name === plan.scene);
  return (
    <section>
      <h2 className="text-lg font-semibold">Reduced copies</h2>
      <p className="mt-0.5 text-sm">
        They are written into a folder of their own beside the originals, which stay untouched. Deleting them
        undoes it.
      </p>
      <WriteCopies plan={plan} onPlan={done} />
      {remove.error ? (
        <Notice kind="fault">
          <p>{remove.error.message}</p>
        </Notice>
      ) : null}
      {plan.wrong_copies.map((text) => (
        <p key={text} className="mt-2 text-fault text-sm">
          {text}
        </p>
      ))}
      {plan.copies.map((row) => (
        <div key={row.name} className="mt-3 border-line border-t pt-2" data-copies={row.name}>
          <p className="flex flex-wrap items-baseline gap-3">
            <span className="font-semibold">{row.name}</span>
            <span>
              {row.maps} {row.maps === 1 ? "map" : "maps"}; all maps {bytes(row.before_bytes)}, with them{" "}
              {bytes(row.after_bytes)}
            </span>
            <button
              type="button"
              className="act"
              disabled={remove.isPending}
              onClick={() => remove.mutate(row.name)}
              aria-label={`Delete the copies ${row.name}`}
            >
              Delete the copies
            </button>
          </p>
          {row.out_of_date ? (
            <p className="text-fault text-sm">Out of date: an original has changed. Write them again.</p>
          ) : scene ? (
            <BeforeAfterForm plan={plan} copies={row.name} scene={scene} />
          ) : null}
          <Rendered row={row} />
        </div>
      ))}
    </section>
  );
}

function Rendered({ row }: { row: Copies }) {
  if (row.pairs.length === 0) return null;
  return (
    <table className="table-plain mt-2 w-full text-sm" aria-label={`Rendered with ${row.name}`}>
      <thead>
        <tr>
          <th scope="col">Before and after</th>
          <th scope="col" className="!text-right">
            Memory before
          </th>
          <th scope="col" className="!text-right">
            after
          </th>
          <th scope="col">Difference beyond noise</th>
        </tr>
      </thead>
      <tbody>
        {row.pairs.map((pair) => (
          <tr key={pair.pair}>
            <th scope="row" className="text-left font-normal">
              <Link to={`/pairs/${pair.pair}`} className="quiet-link">
                {pair.engine}
              </Link>
              : {pair.sentence}
            </th>
            <td className="number whitespace-nowrap">{size(pair.before_bytes)}</td>
            <td className="number whitespace-nowrap">{size(pair.after_bytes)}</td>
            <td>{seen(pair)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function size(value: number | null): string {
  return value == null ? "not told" : bytes(value);
}

function seen(pair: Schema["BeforeAfter"]): string {
  if (pair.compared === 0) return "not compared yet";
  if (pair.differing.length === 0) {
    const zones = pair.compared - 1;
    const where = zones > 0 ? ` and ${zones} ${zones === 1 ? "zone" : "zones"}` : "";
    const least = pair.smallest_seen_percent;
    return `none in the picture${where}${least == null ? "" : `; from ${three(least)} % on it would have been seen`}`;
  }
  return `in ${pair.differing.map((name) => (name === "whole" ? "the whole picture" : name)).join(", ")}`;
}
