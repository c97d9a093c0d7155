import type { Schema } from "../../api/client";
import { seconds, spread, three } from "../../parts/format";
import { Labelled } from "../../parts/Labelled";
import { useTyped } from "../../parts/useTyped";
import { type Decision, percent } from "./figures";

type Production = Schema["Production"];
type Forecast = Schema["Forecast"];
type Saving = Schema["Saving"];
type Field = "frames" | "shots" | "machines" | "hours_a_day" | "cost_per_machine_hour" | "width" | "height";

const FIELDS: readonly (readonly [Field, string])[] = [
  ["frames", "Frames"],
  ["shots", "Shots"],
  ["machines", "Machines"],
  ["hours_a_day", "Hours a night"],
  ["cost_per_machine_hour", "Cost of a machine-hour"],
  ["width", "Final width"],
  ["height", "Final height"],
];

/** What production is assumed to be; every figure is kept when its field is left. */
export function ProductionForm(props: {
  production: Production;
  onChange: (values: Schema["ProductionRequest"]) => void;
  problems: Record<string, string[]>;
  problem: string | undefined;
}) {
  const { production } = props;
  const { value: draft, type: setDraft, done, drop } = useTyped(production);
  const keep = (values: Production) => {
    if (JSON.stringify(values) === JSON.stringify(production)) return drop();
    done();
    props.onChange(values);
  };
  return (
    <div>
      <div className="grid grid-cols-[repeat(auto-fill,minmax(8rem,1fr))] gap-x-4 gap-y-2">
        {FIELDS.map(([field, title]) => (
          <Labelled key={field} title={title} problem={props.problems[field]?.[0]}>
            <input
              className="field w-full text-right"
              type="number"
              min={0}
              step="any"
              placeholder={field === "width" || field === "height" ? "as timed" : ""}
              value={draft[field] ?? ""}
              onChange={(event) =>
                setDraft({ ...draft, [field]: event.target.value === "" ? null : Number(event.target.value) })
              }
              onBlur={() => keep(draft)}
              onKeyDown={(event) => (event.key === "Enter" ? keep(draft) : null)}
            />
          </Labelled>
        ))}
        <Labelled title="Currency" problem={props.problems.currency?.[0]}>
          <input
            className="field w-full"
            maxLength={10}
            value={draft.currency ?? ""}
            onChange={(event) => setDraft({ ...draft, currency: event.target.value })}
            onBlur={() => keep(draft)}
          />
        </Labelled>
        <Labelled title="Getting ready is paid">
          <select
            className="field w-full"
            value={draft.ready_per}
            onChange={(event) => {
              const next = { ...draft, ready_per: event.target.value as Production["ready_per"] };
              setDraft(next);
              keep(next);
            }}
          >
            <option value="frame">for every frame</option>
            <option value="shot">once a shot and machine</option>
          </select>
        </Labelled>
      </div>
      {props.problem ? (
        <p role="alert" className="mt-1 text-fault text-sm">
          {props.problem}
        </p>
      ) : null}
    </div>
  );
}

/** What each use takes in production, and what it saves against the baseline. */
export function ForecastTable({ decision }: { decision: Decision }) {
  const money = decision.production.cost_per_machine_hour > 0;
  const rows: [string, Forecast | null, Saving | null][] = [
    ["All frames as the control", decision.baseline, null],
    ...decision.uses.map((use): [string, Forecast | null, Saving | null] => [
      use.title,
      use.forecast,
      use.saving,
    ]),
  ];
  return (
    <table className="table-plain w-full text-sm" aria-label="Forecast">
      <thead>
        <tr>
          <th scope="col">Use</th>
          <th scope="col" className="!text-right">
            A frame
          </th>
          <th scope="col" className="!text-right">
            Machine-hours
          </th>
          <th scope="col" className="!text-right">
            Hours
          </th>
          <th scope="col" className="!text-right">
            Nights
          </th>
          {money ? (
            <th scope="col" className="!text-right">
              Cost{decision.production.currency ? `, ${decision.production.currency}` : ""}
            </th>
          ) : null}
          <th scope="col" className="!text-right">
            Saves
          </th>
        </tr>
      </thead>
      <tbody>
        {rows.map(([title, made, saved]) => (
          <tr key={title}>
            <th scope="row" className="text-left font-normal">
              {title}
            </th>
            {made ? (
              <>
                <td className="number">{seconds(made.frame_seconds)}</td>
                <td className="number">
                  {three(made.machine_hours)}
                  <span className="block text-soft text-xs leading-tight">{spread(made.interval)}</span>
                </td>
                <td className="number">{three(made.hours)}</td>
                <td className="number">{made.nights}</td>
                {money ? <td className="number">{three(made.cost)}</td> : null}
                <td className="number">
                  <SavingCell saving={saved} />
                </td>
              </>
            ) : (
              <td colSpan={money ? 6 : 5} className="text-soft">
                nothing chosen
              </td>
            )}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** An interval of what is saved: what it takes more reads as such, not as a saving below nothing. */
function savedWords([low = 0, high = 0]: number[]): string {
  if (high < 0) return `${percent(-high)} to ${percent(-low)} more`;
  return low < 0 ? `${percent(-low)} more to ${percent(high)} saved` : `${percent(low)} to ${percent(high)}`;
}

function SavingCell({ saving }: { saving: Saving | null }) {
  if (!saving) return null;
  return (
    <>
      {saving.tie ? "no difference, " : ""}
      {saving.share >= 0 ? percent(saving.share) : `takes ${percent(-saving.share)} more`}
      <span className="block text-soft text-xs leading-tight">
        {saving.interval ? savedWords(saving.interval) : "no interval"}
      </span>
    </>
  );
}
