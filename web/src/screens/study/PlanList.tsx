import type { Schema } from "../../api/client";
import { SIDE_TITLE, SideMark } from "../../parts/Side";

/** The renders to come, in order. */
export function PlanList({ plan }: { plan: Schema["PlannedRun"][] }) {
  const counted = plan.filter((row) => !row.warm_up).length;
  return (
    <>
      <p className="text-sm">
        {plan.length} renders, one at a time: a warm-up that is thrown away, then {counted} in turn.
      </p>
      <ol className="mt-1 flex flex-wrap gap-x-3 gap-y-1 text-sm">
        {plan.map((row) => (
          <li key={`${row.side}${row.seed}${row.warm_up}`} className="flex items-center gap-1">
            {row.warm_up ? (
              "Warm-up"
            ) : (
              <>
                <SideMark side={row.side} size={9} />
                {SIDE_TITLE[row.side]}, seed {row.seed}
              </>
            )}
          </li>
        ))}
      </ol>
    </>
  );
}
