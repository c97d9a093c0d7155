import { Popover } from "radix-ui";
import type { Schema } from "../../api/client";
import type { Asked } from "../../api/queries";
import { SideName } from "../../parts/Side";
import { named } from "./rows";
import type { Pairing } from "./usePairing";

const STATES = [
  ["", "in any state"],
  ["queued,running", "still to come"],
  ["finished", "finished"],
  ["bad", "failed, stopped, or with something found"],
] as const;

/** What is looked for, how it is grouped, which columns stand, the two picked rows, and the files of what is shown. */
export function TableTools({
  study,
  asked,
  ask,
  pairing,
  total,
  columns,
  shown,
  onColumn,
}: {
  study: Schema["Study"];
  asked: Asked;
  ask: (asked: Asked) => void;
  pairing: Pairing;
  total: number;
  columns: Schema["Column"][];
  shown: string[];
  onColumn: (name: string, on: boolean) => void;
}) {
  const factors = columns.filter((column) => column.name.startsWith("factor:"));
  const query = new URLSearchParams({
    text: asked.text,
    states: asked.states,
    sort: asked.sort,
    group: asked.group,
    old: String(asked.old),
    throwaway: String(asked.throwaway),
    columns: shown.join(","),
  }).toString();
  const file = (ending: string) => `/api/studies/${study.id}/table.${ending}?${query}`;
  return (
    <>
      <div className="mb-2 flex flex-wrap items-center gap-x-3 gap-y-2 text-sm">
        <input
          type="search"
          className="field w-44"
          placeholder="Look for"
          aria-label="Look for runs with these words"
          value={asked.text}
          onChange={(event) => ask({ ...asked, text: event.target.value })}
        />
        <select
          className="field"
          aria-label="State of the runs"
          value={asked.states}
          onChange={(event) => ask({ ...asked, states: event.target.value })}
        >
          {STATES.map(([value, title]) => (
            <option key={value} value={value}>
              {title}
            </option>
          ))}
        </select>
        <select
          className="field"
          aria-label="Group by"
          value={asked.group}
          onChange={(event) => ask({ ...asked, group: event.target.value })}
        >
          <option value="">not grouped</option>
          <option value="option">by option</option>
          {factors.map((column) => (
            <option key={column.name} value={column.name}>
              by {column.title.toLowerCase()}
            </option>
          ))}
        </select>
        <Popover.Root>
          <Popover.Trigger className="act">Columns</Popover.Trigger>
          <Popover.Portal>
            <Popover.Content
              align="start"
              sideOffset={4}
              className="z-40 grid grid-cols-2 gap-x-5 border border-edge bg-paper p-3 text-sm"
              aria-label="Columns"
            >
              {columns.map((column) => (
                <label key={column.name} className="flex items-center gap-1.5">
                  <input
                    type="checkbox"
                    checked={shown.includes(column.name)}
                    onChange={(event) => onColumn(column.name, event.target.checked)}
                  />
                  {column.title}
                </label>
              ))}
            </Popover.Content>
          </Popover.Portal>
        </Popover.Root>
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            checked={asked.throwaway}
            onChange={(event) => ask({ ...asked, throwaway: event.target.checked })}
          />
          warm-ups and pilots
        </label>
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            checked={asked.old}
            onChange={(event) => ask({ ...asked, old: event.target.checked })}
          />
          no longer in the plan
        </label>
        <span className="ml-auto flex items-center gap-3">
          <span className="text-soft">
            {total} {total === 1 ? "run" : "runs"}
          </span>
          <a className="quiet-link" href={file("csv")}>
            CSV
          </a>
          <a className="quiet-link" href={file("json")}>
            JSON
          </a>
        </span>
      </div>
      {pairing.control ? (
        <p role="status" className="mb-2 flex flex-wrap items-center gap-3 text-sm">
          <span>
            <SideName side="control" /> {named(pairing.control)}
          </span>
          {pairing.trial ? (
            <span>
              <SideName side="trial" /> {named(pairing.trial)}
            </span>
          ) : (
            <span className="text-soft">pick a second run as the trial</span>
          )}
          <button
            type="button"
            className="act"
            data-kind="main"
            disabled={!pairing.trial}
            onClick={pairing.look}
          >
            Look at this pair
          </button>
          <button type="button" className="quiet-link" onClick={pairing.clear}>
            let go
          </button>
          {pairing.error ? (
            <span role="alert" className="text-fault">
              {pairing.error.message}
            </span>
          ) : null}
        </p>
      ) : null}
    </>
  );
}
