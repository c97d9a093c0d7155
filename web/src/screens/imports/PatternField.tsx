import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useEffect } from "react";
import { api, body, type Schema } from "../../api/client";
import { settingValue } from "../../parts/format";

const SHOWN = 8;

/** How the names are made, with what comes of it for the first names at once. */
export function PatternField({
  names,
  pattern,
  onChange,
  onFits,
}: {
  names: string[];
  pattern: string;
  onChange: (pattern: string) => void;
  onFits: (fits: boolean) => void;
}) {
  const settled = useDeferredValue(pattern);
  const tried = useQuery({
    queryKey: ["pattern", settled, names.slice(0, 200)],
    queryFn: () =>
      body(api.POST("/api/imports/pattern/", { body: { pattern: settled, names: names.slice(0, 200) } })),
    placeholderData: keepPreviousData,
    enabled: settled !== "",
  });
  const problem = settled && tried.data ? tried.data.problem : "";
  const fits = problem === "";
  useEffect(() => onFits(fits), [fits, onFits]);
  const rows = settled && !problem ? (tried.data?.rows ?? []) : [];
  return (
    <section aria-label="Name pattern">
      <label className="block">
        <span className="block text-soft text-sm">How the file names are made (may be left empty)</span>
        <input
          className="field w-full max-w-3xl font-mono text-sm"
          value={pattern}
          aria-invalid={problem ? true : undefined}
          placeholder="{scene}_{view}_{engine}_{samples}spp_s{seed}"
          onChange={(event) => onChange(event.target.value)}
        />
      </label>
      <p className={`mt-0.5 text-sm ${problem ? "text-fault" : "text-soft"}`} role="status">
        {problem || explanation(rows, names.length)}
      </p>
      {rows.length > 0 ? <Preview rows={rows.slice(0, SHOWN)} /> : null}
    </section>
  );
}

function explanation(rows: Schema["ReadName"][], count: number): string {
  if (rows.length === 0)
    return "Fields are engine, version, device, machine, scene, view, variant, frame, seed, threads, seconds, ready_seconds, cpu_seconds, memory_bytes; any other name is a setting, and * stands for anything.";
  const good = rows.filter((row) => row.follows && !row.problem).length;
  const of = rows.length < count ? `the first ${rows.length}` : rows.length;
  return `${good} of ${of} names follow the pattern.`;
}

function Preview({ rows }: { rows: Schema["ReadName"][] }) {
  const columns = [
    ...new Set(rows.flatMap((row) => [...Object.keys(row.fields_known), ...Object.keys(row.settings)])),
  ];
  return (
    <table className="table-plain mt-2 text-sm" aria-label="What the names say">
      <thead>
        <tr>
          <th scope="col">Name</th>
          {columns.map((column) => (
            <th key={column} scope="col">
              {column}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={row.name}>
            <th scope="row" className="text-left font-normal">
              {row.name}
            </th>
            {row.follows ? (
              columns.map((column) => (
                <td key={column}>{settingValue(row.fields_known[column] ?? row.settings[column] ?? "")}</td>
              ))
            ) : (
              <td colSpan={columns.length} className="text-fault">
                {row.problem || "does not follow the pattern"}
              </td>
            )}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
