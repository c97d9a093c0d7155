import type { Schema } from "../../api/client";
import { Notice } from "../../parts/Notice";
import { useChangeSet } from "./useChangeSet";

type Meaning = Schema["TableColumn"]["meaning"];
const TITLES: Record<Meaning, string> = {
  file: "the picture's file",
  engine: "engine",
  version: "version",
  device: "device",
  machine: "machine",
  scene: "scene",
  view: "view",
  variant: "variant",
  frame: "frame",
  seed: "seed",
  threads: "threads",
  memory_bytes: "memory",
  seconds: "render time",
  ready_seconds: "getting ready",
  cpu_seconds: "CPU time",
  setting: "a setting",
  knob: "quality knob: more is better",
  knob_down: "quality knob: less is better",
  ignore: "nothing: pass it over",
};

/** What the columns of the table beside the renders mean: proposed by their names, changed here. */
export function Columns({ set, onChanged }: { set: Schema["ImportSetDetail"]; onChanged: () => void }) {
  const change = useChangeSet(set.id, onChanged);
  const stated = set.table_columns.filter((each) => each.stated);
  const columns = Object.fromEntries(stated.map((each) => [each.name, each.meaning]));
  if (set.table_columns.length === 0) return null;
  return (
    <details className="mt-3">
      <summary>
        What the {set.table_columns.length} columns of {set.table_name || "the table"} mean
      </summary>
      <table className="table-plain mt-1 text-sm" aria-label="Columns">
        <thead>
          <tr>
            <th scope="col">Column</th>
            <th scope="col">Such as</th>
            <th scope="col">Means</th>
          </tr>
        </thead>
        <tbody>
          {set.table_columns.map((column) => (
            <tr key={column.name}>
              <th scope="row" className="text-left font-normal">
                {column.name}
              </th>
              <td className="max-w-48 truncate text-soft">{column.sample}</td>
              <td>
                <select
                  className="field w-44"
                  aria-label={`What ${column.name} means`}
                  value={column.meaning}
                  disabled={change.isPending}
                  onChange={(event) =>
                    change.mutate({ columns: { ...columns, [column.name]: event.target.value as Meaning } })
                  }
                >
                  {Object.entries(TITLES).map(([meaning, title]) => (
                    <option key={meaning} value={meaning}>
                      {title}
                    </option>
                  ))}
                </select>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {change.error ? (
        <Notice kind="fault">
          <p>{change.error.message}</p>
        </Notice>
      ) : null}
    </details>
  );
}
