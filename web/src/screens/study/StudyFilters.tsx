import { useQuery } from "@tanstack/react-query";
import { questionsQuery } from "../../api/queries";
import { type Row, SORTS, type Sort, STATES, type Wanted } from "./found";

/** Search, filters, order and grouping of the list of studies. */
export function StudyFilters({
  rows,
  wanted,
  onWanted,
  sort,
  onSort,
  grouped,
  onGrouped,
  archived,
  archivedCount,
  onArchived,
}: {
  rows: readonly Row[];
  wanted: Wanted;
  onWanted: (wanted: Wanted) => void;
  sort: Sort;
  onSort: (sort: Sort) => void;
  grouped: boolean;
  onGrouped: (grouped: boolean) => void;
  archived: boolean;
  archivedCount: number;
  onArchived: (archived: boolean) => void;
}) {
  const questions = useQuery(questionsQuery).data?.questions ?? [];
  const kinds = new Set(rows.map((row) => row.asked));
  const titles = questions
    .filter((each) => kinds.has(each.name))
    .map((each) => [each.name, each.title] as const);
  const plain = (values: Iterable<string>) =>
    [...new Set(values)].sort().map((each) => [each, each] as const);
  return (
    <search className="mt-5 flex flex-wrap items-center gap-2 text-sm" aria-label="Find studies">
      <input
        type="search"
        className="field w-56"
        placeholder="Find a study"
        aria-label="Find a study"
        value={wanted.find}
        onChange={(event) => onWanted({ ...wanted, find: event.target.value })}
      />
      <Pick
        label="Scene"
        all="any scene"
        options={plain(rows.map((row) => row.scene_title))}
        value={wanted.scene}
        onChange={(scene) => onWanted({ ...wanted, scene })}
      />
      <Pick
        label="Engine"
        all="any engine"
        options={plain(rows.flatMap((row) => row.engines))}
        value={wanted.engine}
        onChange={(engine) => onWanted({ ...wanted, engine })}
      />
      <Pick
        label="Question"
        all="any question"
        options={titles}
        value={wanted.asked}
        onChange={(asked) => onWanted({ ...wanted, asked })}
      />
      <Pick
        label="Where it stands"
        all="decided or open"
        options={Object.entries(STATES)}
        value={wanted.state}
        onChange={(state) => onWanted({ ...wanted, state })}
      />
      <span className="ml-auto flex flex-wrap items-center gap-3">
        <select
          className="field"
          aria-label="Order"
          value={sort}
          onChange={(event) => onSort(event.target.value as Sort)}
        >
          {Object.entries(SORTS).map(([name, title]) => (
            <option key={name} value={name}>
              {title}
            </option>
          ))}
        </select>
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={grouped} onChange={(event) => onGrouped(event.target.checked)} />
          by scene
        </label>
        {archivedCount > 0 ? (
          <label className="flex items-center gap-1.5">
            <input
              type="checkbox"
              checked={archived}
              onChange={(event) => onArchived(event.target.checked)}
            />
            {archivedCount} archived
          </label>
        ) : null}
      </span>
    </search>
  );
}

function Pick({
  label,
  all,
  options,
  value,
  onChange,
}: {
  label: string;
  all: string;
  options: readonly (readonly [string, string])[];
  value: string;
  onChange: (value: string) => void;
}) {
  if (options.length < 2 && !value) return null;
  return (
    <select
      className="field max-w-44"
      aria-label={label}
      value={value}
      onChange={(event) => onChange(event.target.value)}
    >
      <option value="">{all}</option>
      {options.map(([name, title]) => (
        <option key={name} value={name}>
          {title}
        </option>
      ))}
    </select>
  );
}
