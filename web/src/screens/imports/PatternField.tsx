import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, body, type Schema } from "../../api/client";
import { settingValue } from "../../parts/format";

type Tried = { problem: string; rows: Schema["ReadName"][]; fits: boolean };

const SHOWN = 8;
const MOST_TRIED = 200;
const NAMED = 3; // of the names, while no pattern says what they mean

const FIELDS =
  "Fields are engine, version, device, machine, scene, view, variant, frame, seed, threads, seconds, ready_seconds, cpu_seconds, memory_bytes; any other name is a setting, and * stands for anything.";

/** What a pattern makes of the names, as many as are looked at, from all over them. */
function triedQuery(pattern: string, names: string[]) {
  const step = Math.ceil(names.length / MOST_TRIED);
  const some = names.filter((_, at) => at % step === 0);
  return {
    queryKey: ["pattern", pattern, some],
    queryFn: () => body(api.POST("/api/imports/pattern/", { body: { pattern, names: some } })),
  };
}

/**
 * The pattern used last where all names follow it, else how they look to be made; none where a table tells, or nobody
 * can say; undefined while that is not known yet.
 */
export function useProposed(names: string[], last: string, table: boolean): string | undefined {
  const tried = useQuery(triedQuery(last, names));
  if (!tried.data) return tried.isError ? "" : undefined;
  const { problem, proposed, rows } = tried.data;
  if (last && !problem && rows.every((row) => row.follows && !row.problem)) return last;
  return table ? "" : proposed;
}

/** What comes of a pattern, once it is known: it fits where it can be read, and so does none. */
export function useTried(names: string[], pattern: string): Tried {
  // all are read at each drawing: of what is not read, a change draws nothing anew
  const { data, isPlaceholderData, isPending } = useQuery({
    ...triedQuery(pattern, names),
    placeholderData: keepPreviousData,
    enabled: pattern !== "",
  });
  if (pattern === "") return { problem: "", rows: [], fits: true };
  const problem = data?.problem ?? "";
  const fits = problem === "" && !isPlaceholderData && !isPending;
  return { problem, rows: problem ? [] : (data?.rows ?? []), fits };
}

/** How the names are made, with what comes of it for the first names at once. */
export function PatternField({
  names,
  pattern,
  tried: { problem, rows },
  proposed,
  onChange,
}: {
  names: string[];
  pattern: string;
  tried: Tried;
  /** Whether nobody has typed it. */
  proposed: boolean;
  onChange: (pattern: string) => void;
}) {
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
        {problem || explanation(rows, names, proposed)}
      </p>
      <p className="max-w-3xl text-soft text-sm">{FIELDS}</p>
      {rows.length > 0 ? <Preview rows={rows.slice(0, SHOWN)} /> : null}
    </section>
  );
}

function explanation(rows: Schema["ReadName"][], names: string[], proposed: boolean): string {
  if (rows.length === 0)
    return `The names: ${names.slice(0, NAMED).join(", ")}${names.length > NAMED ? " …" : ""}`;
  const good = rows.filter((row) => row.follows && !row.problem).length;
  const of = rows.length < names.length ? `${rows.length} looked at` : `${rows.length} names`;
  return `${good} of ${of} follow the pattern.${proposed ? " It is a proposal: correct what is wrong." : ""}`;
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
