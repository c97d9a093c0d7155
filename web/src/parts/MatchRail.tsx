import { Tooltip } from "radix-ui";
import type { Schema } from "../api/client";

type Condition = Schema["Condition"];

export const STATE_WORDS: Record<Condition["state"], string> = {
  held: "held",
  differs: "differs",
  unknown: "not known",
  under_test: "under test",
};

/** One mark a condition, in the fixed order: held, differing, unknown, and the one under test standing out. */
export function MatchRail({ sheet, label }: { sheet: Schema["MatchRail"]; label?: string }) {
  return (
    <Tooltip.Provider delayDuration={150}>
      <ul
        className="flex h-6 w-fit items-center border-y border-line"
        aria-label={label ?? `Match rail: ${sheet.summary}`}
      >
        {sheet.conditions.map((condition) => (
          <Tooltip.Root key={condition.key}>
            <Tooltip.Trigger asChild>
              <li className="flex h-6 w-[10px] items-center justify-center" data-state-of={condition.state}>
                <RailMark state={condition.state} />
                <span className="sr-only">
                  {condition.title}: {STATE_WORDS[condition.state]}
                </span>
              </li>
            </Tooltip.Trigger>
            <Tooltip.Portal>
              <Tooltip.Content sideOffset={4} className="z-50 bg-ink px-2 py-1 text-sm text-paper">
                {condition.title}: {STATE_WORDS[condition.state]}
                {condition.state === "differs" || condition.state === "under_test"
                  ? `, ${condition.control} and ${condition.trial}`
                  : ""}
              </Tooltip.Content>
            </Tooltip.Portal>
          </Tooltip.Root>
        ))}
      </ul>
    </Tooltip.Provider>
  );
}

export function RailMark({ state }: { state: Condition["state"] }) {
  return (
    <svg width="10" height="22" viewBox="0 0 11 22" aria-hidden="true">
      {state === "held" && <path d="M5.5 7v8" stroke="var(--color-ink)" strokeWidth="1.5" />}
      {state === "unknown" && <circle cx="5.5" cy="11" r="2" fill="none" stroke="var(--color-soft)" />}
      {state === "differs" && (
        <path d="M3 4v7h5v7" fill="none" stroke="var(--color-fault)" strokeWidth="2" strokeLinejoin="bevel" />
      )}
      {state === "under_test" && (
        <>
          <path d="M2.5 1h6v9.5h-6z" fill="var(--color-control)" />
          <path d="M2.5 11.5h6V21h-6z" fill="var(--color-trial)" />
        </>
      )}
    </svg>
  );
}
