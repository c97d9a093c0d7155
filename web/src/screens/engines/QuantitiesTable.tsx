import { useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, type Schema } from "../../api/client";
import { day, digits, three } from "../../parts/format";
import { useRemoval } from "../../parts/Undo";

type Engine = Schema["Engine"];

/** One quantity's name, unit and scale in each engine; and the factors that bring their brightness together. */
export function QuantitiesTable({ engines }: { engines: Engine[] }) {
  const names = [...new Set(engines.flatMap((engine) => engine.quantities.map((row) => row.quantity)))];
  return (
    <>
      <table className="table-plain mt-4 w-full text-sm" aria-label="Quantities">
        <thead>
          <tr>
            <th scope="col">Quantity of the scene</th>
            {engines.map((engine) => (
              <th key={engine.name} scope="col">
                {engine.title}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {names.map((name) => (
            <tr key={name}>
              <th scope="row" className="text-left font-normal first-letter:capitalize">
                {name.replaceAll("-", " ")}
              </th>
              {engines.map((engine) => (
                <td key={engine.name}>
                  <Named row={engine.quantities.find((each) => each.quantity === name)} />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <h2 className="mt-6 mb-1 font-semibold">Brightness</h2>
      <Factors engines={engines} />
    </>
  );
}

function Named({ row }: { row: Schema["QuantityName"] | undefined }) {
  if (!row) return <span className="text-soft">not known</span>;
  const unit = row.unit ? `, ${row.unit}` : "";
  const scale =
    row.scale == null ? "" : row.scale === 1 ? ", as in the scene" : `, scene × ${three(row.scale)}`;
  return (
    <>
      {row.name}
      {unit}
      {scale}
      {row.about ? <span className="block text-soft">{row.about}</span> : null}
    </>
  );
}

function Factors({ engines }: { engines: Engine[] }) {
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: ["engines"] });
  const titles = Object.fromEntries(engines.map((engine) => [engine.name, engine.title]));
  const removal = useRemoval<Schema["Brightness"]>({
    remove: (row) => api.DELETE("/api/brightness/{id}/", { params: { path: { id: row.id } } }),
    restore: (row) => api.POST("/api/brightness/{id}/restore/", { params: { path: { id: row.id } } }),
    words: (row) => `Later renders of ${titles[row.engine] ?? row.engine} keep their own brightness.`,
    refresh,
  });
  const rows = engines.flatMap((engine) => (engine.brightness ? [engine.brightness] : []));
  return (
    <>
      {rows.length === 0 ? (
        <p className="max-w-prose text-soft">
          No factor is in force. Make a study with the engine under test; on its pair, Bring brightness
          together computes the factor for the trial's engine from a zone of your choice.
        </p>
      ) : (
        <table className="table-plain w-full text-sm" aria-label="Brightness factors">
          <thead>
            <tr>
              <th scope="col">Engine</th>
              <th scope="col" className="number">
                Light ×
              </th>
              <th scope="col">95 % interval</th>
              <th scope="col">Spread over the zone</th>
              <th scope="col">To agree with</th>
              <th scope="col">Evidence</th>
              <th scope="col">
                <span className="sr-only">Act</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <tr key={row.id} data-factor={row.engine}>
                <th scope="row" className="text-left font-normal">
                  {titles[row.engine] ?? row.engine}
                </th>
                <td className="number">{digits(row.factor, 4)}</td>
                <td>
                  {row.low == null || row.high == null
                    ? "none: one seed"
                    : `${digits(row.low, 4)} to ${digits(row.high, 4)}`}
                </td>
                <td>
                  {row.spread_low == null || row.spread_high == null
                    ? "zone too small to say"
                    : `× ${three(row.spread_low)} to × ${three(row.spread_high)} from place to place`}
                </td>
                <td>{titles[row.relative_to] ?? row.relative_to}</td>
                <td>
                  {row.pair == null ? (
                    row.evidence
                  ) : (
                    <Link className="quiet-link" to={`/pairs/${row.pair}`}>
                      {row.evidence}
                    </Link>
                  )}
                  , {day(row.created_at)}
                </td>
                <td>
                  <button type="button" className="act" onClick={() => removal.take(row)}>
                    Use no longer
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <div className="mt-2">{removal.notice}</div>
    </>
  );
}
