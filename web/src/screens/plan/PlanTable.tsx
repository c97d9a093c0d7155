import type { ReactNode } from "react";
import type { Schema } from "../../api/client";
import { bytes, duration, seconds } from "../../parts/format";
import { SideMark } from "../../parts/Side";

type Plan = Schema["Plan"];
type Option = Schema["PlannedOption"];

const BY_HAND = "left out by hand";

/** The plan before it runs: what it costs in all, and each option with its renders; a row can be left out by hand. */
export function PlanTable({
  plan,
  leftOut = [],
  onLeaveOut,
  children,
}: {
  plan: Plan;
  /** Keys of options that are left out by hand, whether or not the plan knows it yet. */
  leftOut?: string[];
  /** Leaves out the option with this key, or takes it in again. */
  onLeaveOut?: (key: string, out: boolean) => void;
  /** What finds out the time where it is not known. */
  children?: ReactNode;
}) {
  const trials = plan.options.filter((option) => option.side === "trial" && !option.left_out).length;
  return (
    <>
      <p className="font-semibold">{costWords(plan)}</p>
      {children}
      <p className="text-soft text-sm">{renderWords(plan)}</p>
      {restsOn(plan) ? (
        <details className="text-sm">
          <summary>What that rests on</summary>
          <p className="text-soft">{restsOn(plan)}</p>
        </details>
      ) : null}
      {plan.trimmed > 0 || !plan.fits ? <Trimmed plan={plan} /> : null}
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a plan longer than its box is scrolled by keyboard */}
      <div className="mt-2 max-h-[24rem] overflow-auto" tabIndex={0}>
        <table className="table-plain w-full text-sm" aria-label="Plan">
          <thead>
            <tr>
              <th scope="col">Option</th>
              <th scope="col" className="!text-right">
                Renders
              </th>
              <th scope="col" className="!text-right">
                One takes
              </th>
            </tr>
          </thead>
          <tbody>
            {plan.options.map((option) => (
              <tr key={option.key} data-option={option.number} className={option.left_out ? "text-soft" : ""}>
                <th scope="row" className="text-left font-normal">
                  <span className="flex items-start gap-1.5">
                    {onLeaveOut ? (
                      <input
                        type="checkbox"
                        className="mt-1"
                        aria-label={`Render ${option.title}`}
                        checked={
                          !leftOut.includes(option.key) && (!option.left_out || option.left_out === BY_HAND)
                        }
                        disabled={option.side === "control" || (!option.left_out && trials < 2)}
                        onChange={(event) => onLeaveOut(option.key, !event.target.checked)}
                      />
                    ) : null}
                    <span className="mt-1">
                      <SideMark side={option.side} size={9} />
                    </span>
                    <span>
                      {optionTitle(option)}
                      {option.left_out ? (
                        <span className="block text-soft text-xs">{option.left_out}</span>
                      ) : null}
                    </span>
                  </span>
                </th>
                <td className="number">
                  {option.in_one_go
                    ? "in one go"
                    : option.left_out || option.comes_with != null
                      ? "none"
                      : option.renders}
                </td>
                <td className="number whitespace-nowrap">
                  {option.comes_with != null && !option.in_one_go
                    ? "on the way"
                    : option.estimate
                      ? seconds(option.estimate.seconds)
                      : "not known"}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </>
  );
}

/** What is changed, or the control with what it has. */
function optionTitle(option: Option): string {
  if (option.title !== "as the control") return option.title;
  const levels = option.levels.map((level) => level.shown).join(", ");
  return option.levels.length <= 2 ? `the control, ${levels}` : "the control";
}

function costWords(plan: Plan): string {
  const { cost } = plan;
  if (cost.unknown === plan.renders) return "Time not known: nothing like it was rendered here yet.";
  const [low, high] = cost.interval;
  const rest = cost.unknown > 0 ? `, and ${cost.unknown} renders of unknown time` : "";
  return `About ${duration(cost.seconds)} (${duration(low ?? 0)} to ${duration(high ?? 0)}) and ${bytes(cost.picture_bytes)} on disk${rest}.`;
}

function renderWords(plan: Plan): string {
  const counted = plan.renders - plan.warm_ups;
  const warm =
    plan.warm_ups > 0 ? `, and ${plan.warm_ups} ${plan.warm_ups === 1 ? "warm-up" : "warm-ups"} first` : "";
  return `${counted} renders, ${plan.repeats} seeds each${warm}.`;
}

/** What the estimate rests on, and what costs nothing of its own. */
function restsOn(plan: Plan): string {
  const bases = Object.values(
    Object.fromEntries(
      plan.options.flatMap((row) => (row.estimate ? [[row.estimate.basis, row.estimate.words]] : [])),
    ),
  );
  const rests =
    bases.length > 0 ? `The time is estimated from ${bases.slice(0, 2).join("; and from ")}.` : "";
  const brought = plan.options.filter(
    (row) => row.comes_with != null && !row.in_one_go && !row.left_out,
  ).length;
  const way = brought > 0 ? `${brought} options cost nothing: a higher one writes them on its way.` : "";
  return [rests, way].filter((words) => words !== "").join(" ");
}

function Trimmed({ plan }: { plan: Plan }) {
  return (
    <details className="mt-1 text-sm">
      <summary>
        {plan.fits
          ? `The budget left ${plan.trimmed} ${plan.trimmed === 1 ? "option" : "options"} out`
          : "Even the least plan is over the budget"}
      </summary>
      <ol className="list-decimal pl-5 text-soft">
        {plan.rules.map((rule) => (
          <li key={rule}>{rule}</li>
        ))}
      </ol>
    </details>
  );
}
