import type { ReactNode } from "react";
import { Labelled } from "./Labelled";

/** A choice among options, its name above it and what is wrong with it below; `wide` where its options come later. */
export function ChoiceField({
  title,
  problem,
  wide,
  value,
  onChange,
  children,
}: {
  title: string;
  problem?: string | undefined;
  wide?: boolean;
  value: string;
  onChange: (value: string) => void;
  children: ReactNode;
}) {
  return (
    <Labelled title={title} problem={problem}>
      <select
        className={`field ${wide ? "w-48" : ""}`}
        value={value}
        onChange={(event) => onChange(event.target.value)}
      >
        {children}
      </select>
    </Labelled>
  );
}
