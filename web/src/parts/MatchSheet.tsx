import type { Schema } from "../api/client";
import { MatchRail, RailMark, STATE_WORDS } from "./MatchRail";
import { SideName } from "./Side";

const GROUPS: Record<string, string> = {
  picture: "Picture",
  engine: "Engine",
  machine: "Machine",
  settings: "Settings",
  repeats: "Repeats",
};

/** The whole match sheet: what is under test on top, then every condition, and what a difference spoils. */
export function MatchSheet({ sheet }: { sheet: Schema["MatchSheet"] }) {
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
        <tbody>
          {[...tested, ...rest].map((row) => (
            <SheetRow key={row.key} row={row} />
          ))}
        </tbody>
      </table>
    </div>
  );
}

function SheetRow({ row }: { row: Schema["Condition"] }) {
  const alike = row.state === "held" && row.control === row.trial;
  return (
    <>
      <tr data-condition={row.key} data-state-of={row.state}>
        <th scope="row" className="whitespace-nowrap text-left font-normal" title={GROUPS[row.group]}>
          <span className="inline-flex items-center gap-1 [&_svg]:h-4">
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
            <td className={row.state === "under_test" ? "font-semibold" : ""}>{row.control}</td>
            <td className={row.state === "under_test" ? "font-semibold" : ""}>{row.trial}</td>
          </>
        )}
      </tr>
      {Object.entries(row.spoils).map(([what, why]) => (
        <tr key={what}>
          <td />
          <td colSpan={2} className="text-fault">
            Spoils {what}: {why}.
          </td>
        </tr>
      ))}
    </>
  );
}
