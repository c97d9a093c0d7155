import type { ReactNode } from "react";

/** A control with its name above and what is wrong with it below. */
export function Labelled({
  title,
  problem,
  children,
}: {
  title: string;
  problem?: string | undefined;
  children: ReactNode;
}) {
  return (
    // biome-ignore lint/a11y/noLabelWithoutControl: the control is what it is given to hold
    <label className="block">
      <span className="block text-soft text-sm">{title}</span>
      {children}
      {problem ? <span className="block max-w-72 text-fault text-sm">{problem}</span> : null}
    </label>
  );
}
