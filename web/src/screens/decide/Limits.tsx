import { useState } from "react";
import { useRemembered } from "../../parts/remembered";
import { useTyped } from "../../parts/useTyped";
import type { Decision, LimitKind, Use } from "./figures";
import { WEIGHTS } from "./figures";
import type { Change } from "./useDecision";

/** The limits of a use and what is taken among those that keep them; each is changed by typing, and empty is no limit. */
export function Limits(props: {
  decision: Decision;
  use: Use;
  onChange: (change: Change) => void;
  problem: string | undefined;
}) {
  const { decision, use } = props;
  // what was clicked is shown at once, until the answer brings another weight or a problem
  const [clicked, setClicked] = useState({ use: "", before: 0, weight: 0 });
  const underWay = clicked.use === use.name && clicked.before === use.weight && !props.problem;
  const weight = underWay ? clicked.weight : use.weight;
  const nearest = WEIGHTS.reduce((best, each) =>
    Math.abs(each.value - weight) < Math.abs(best.value - weight) ? each : best,
  );
  const [all, setAll] = useRemembered("decide.all-limits", false);
  const usual = decision.limit_kinds.filter(
    // the chart's own axes are shown whether they are limited or not
    (kind) => all || ["seconds", use.ranked_by].includes(kind.name) || kind.name in use.limits,
  );
  const others = decision.limit_kinds.length - usual.length;
  return (
    <div>
      <table className="text-sm" aria-label={`Limits of ${use.title.toLowerCase()}`}>
        <tbody>
          {usual.map((kind) => (
            <tr key={`${use.name} ${kind.name}`} className="[&>*]:py-0.5">
              <th scope="row" className="whitespace-nowrap pr-3 text-left font-normal" title={kind.about}>
                {kind.title}
              </th>
              <td className="whitespace-nowrap pr-2 text-soft">{kind.most ? "at most" : "at least"}</td>
              <td>
                <LimitField
                  kind={kind}
                  value={use.limits[kind.name]}
                  onCommit={(value) => props.onChange({ limit: { name: kind.name, value } })}
                />
              </td>
              <td className="whitespace-nowrap pl-1.5 text-soft">{kind.unit}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {all || others > 0 ? (
        <button type="button" className="quiet-link mt-1 text-sm" onClick={() => setAll(!all)}>
          {all ? "Fewer limits" : `${others} more limits`}
        </button>
      ) : null}
      {props.problem ? <p className="mt-1 text-fault text-sm">{props.problem}</p> : null}
      <fieldset className="mt-3 flex flex-wrap gap-x-4 text-sm">
        <legend className="text-soft">Of those that keep the limits, take</legend>
        {WEIGHTS.map((each) => (
          <label key={each.title} className="flex items-center gap-1.5">
            <input
              type="radio"
              name={`weight-${use.name}`}
              checked={each === nearest}
              onChange={() => {
                setClicked({ use: use.name, before: use.weight, weight: each.value });
                props.onChange({ weight: each.value });
              }}
            />
            {each.title}
          </label>
        ))}
      </fieldset>
    </div>
  );
}

function LimitField(props: {
  kind: LimitKind;
  value: number | undefined;
  onCommit: (value: number | null) => void;
}) {
  const kept = props.value === undefined ? "" : String(props.value);
  const { value: text, type, done, drop } = useTyped(kept);
  const number = Number(text);
  const wrong = text.trim() !== "" && !(Number.isFinite(number) && number >= 0);
  const commit = () => {
    if (wrong) return;
    if (text.trim() === kept) return drop();
    done();
    props.onCommit(text.trim() === "" ? null : number);
  };
  return (
    <input
      className="field !min-h-7 w-20 text-right"
      inputMode="decimal"
      placeholder="no limit"
      aria-label={`${props.kind.title}, ${props.kind.most ? "at most" : "at least"}${props.kind.unit ? `, ${props.kind.unit}` : ""}`}
      aria-invalid={wrong}
      value={text}
      onChange={(event) => type(event.target.value)}
      onBlur={commit}
      onKeyDown={(event) => {
        if (event.key === "Enter") commit();
        if (event.key === "Escape") drop();
      }}
    />
  );
}
