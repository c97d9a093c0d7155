import type { Schema } from "../api/client";
import { MatchRail, RailMark, STATE_WORDS } from "./MatchRail";
import { SideName } from "./Side";

type Condition = Schema["Condition"];

const GROUPS: readonly (readonly [string, string])[] = [
  ["picture", "Picture"],
  ["engine", "Engine"],
  ["machine", "Machine"],
  ["settings", "Settings"],
  ["repeats", "Repeats"],
];

/** What can be done about a condition that differs, where somebody can do it. */
export type Mending = { readonly mend: (condition: string) => void; readonly busy: boolean };

/** The whole match sheet: what is under test on top, then every condition by group, what a difference spoils and what remains. */
export function MatchSheet({ sheet, mending }: { sheet: Schema["MatchSheet"]; mending?: Mending }) {
  const tested = sheet.conditions.filter((row) => row.state === "under_test");
  const rest = sheet.conditions.filter((row) => row.state !== "under_test");
  return (
    <div>
      <p className="mb-2">{sheet.summary}</p>
      <MatchRail sheet={sheet} />
      <table className="table-plain mt-2 w-full text-sm">
        <thead>
          <tr>
            <th scope="col">Condition</th>
            <th scope="col">
              <SideName side="control" />
            </th>
            <th scope="col">
              <SideName side="trial" />
            </th>
          </tr>
        </thead>
        {tested.length ? <Group title="Under test" rows={tested} mending={mending} /> : null}
        {GROUPS.map(([name, title]) => {
          const rows = rest.filter((row) => row.group === name);
          return rows.length ? <Group key={name} title={title} rows={rows} mending={mending} /> : null;
        })}
      </table>
    </div>
  );
}

function Group(props: { title: string; rows: readonly Condition[]; mending: Mending | undefined }) {
  return (
    <tbody data-group-of={props.title}>
      <tr>
        <th scope="rowgroup" colSpan={3} className="!pt-2 text-left font-semibold text-soft text-xs">
          {props.title}
        </th>
      </tr>
      {props.rows.map((row) => (
        <SheetRow key={row.key} row={row} mending={props.mending} />
      ))}
    </tbody>
  );
}

function SheetRow({ row, mending }: { row: Condition; mending: Mending | undefined }) {
  const alike = row.state === "held" && row.control === row.trial;
  const strong = row.state === "under_test" ? "font-semibold" : "";
  return (
    <>
      <tr data-condition={row.key} data-state-of={row.state}>
        <th scope="row" className="text-left font-normal">
          <span className="inline-flex items-center gap-1 [&_svg]:h-4 [&_svg]:shrink-0">
            <RailMark state={row.state} />
            {row.title}
            <span className="sr-only">, {STATE_WORDS[row.state]}</span>
          </span>
        </th>
        {row.state === "unknown" ? (
          <td colSpan={2} className="text-soft">
            not known
          </td>
        ) : alike ? (
          <td colSpan={2}>{row.control}</td>
        ) : (
          <>
            <td className={strong}>{row.control}</td>
            <td className={strong}>{row.trial}</td>
          </>
        )}
      </tr>
      {row.note ? (
        <tr data-note-of={row.key}>
          <td />
          <td colSpan={2}>{capital(row.note)}.</td>
        </tr>
      ) : null}
      {row.remains ? (
        <tr data-spoiled-by={row.key}>
          <td />
          <td colSpan={2}>
            {Object.entries(row.spoils).map(([what, why]) => (
              <p key={what} className="text-fault">
                Spoils {what}: {why}.
              </p>
            ))}
            <p>Still compares: {row.remains}.</p>
            {row.remedy && mending ? (
              <button
                type="button"
                className="act mt-1 !whitespace-normal text-left"
                disabled={mending.busy}
                onClick={() => mending.mend(row.key)}
              >
                {row.remedy}
              </button>
            ) : null}
          </td>
        </tr>
      ) : null}
    </>
  );
}

function capital(words: string): string {
  return words.slice(0, 1).toUpperCase() + words.slice(1);
}
