import type { ReactNode } from "react";
import { SideName } from "../../parts/Side";

/** The frame of what a plan holds or varies: the thing, the control's value, the trial's levels. */
export function VaryTable({ title, children }: { title: string; children: ReactNode }) {
  return (
    <table className="table-plain w-full" aria-label={title}>
      <thead>
        <tr>
          <th scope="col">{title}</th>
          <th scope="col" className="w-48">
            <SideName side="control" />
          </th>
          <th scope="col" className="w-64">
            <SideName side="trial" />
          </th>
        </tr>
      </thead>
      <tbody>{children}</tbody>
    </table>
  );
}
