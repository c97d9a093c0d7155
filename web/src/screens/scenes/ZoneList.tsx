import { useState } from "react";
import { Link } from "react-router";
import type { Schema } from "../../api/client";
import type { Zone } from "./ZoneEditor";

export type ZoneActs = {
  change: (id: number, values: Partial<Pick<Zone, "name" | "kind">>) => void;
  copy: (id: number, view: string) => void;
  remove: (zone: Zone) => void;
};

/** The zones of a view by name: rename, change the kind, copy to another view, render alone, remove. */
export function ZoneList({
  scene,
  view,
  variant,
  zones,
  chosen,
  onChoose,
  acts,
}: {
  scene: Schema["Scene"];
  view: string;
  variant: string;
  zones: Zone[];
  chosen: number | null;
  onChoose: (id: number) => void;
  acts: ZoneActs;
}) {
  if (zones.length === 0)
    return (
      <p className="text-soft text-sm">
        No zone yet. Draw one on the picture to measure it on its own, or to leave it out.
      </p>
    );
  const others = scene.views.filter((each) => each.name !== view);
  return (
    <ul className="border-line border-t">
      {zones.map((zone) => (
        <li key={zone.id} className="border-line border-b py-2" data-zone-row={zone.name}>
          <button
            type="button"
            className={`text-left ${zone.id === chosen ? "font-semibold" : ""}`}
            aria-expanded={zone.id === chosen}
            onClick={() => onChoose(zone.id)}
          >
            {zone.name}
            <span className="font-normal text-soft text-sm">
              {" "}
              {zone.shape}, {zone.kind === "measure" ? "measured" : "left out"}
            </span>
          </button>
          {zone.id === chosen ? (
            <div className="mt-2 grid gap-2 text-sm">
              <Name key={zone.name} zone={zone} onCommit={(name) => acts.change(zone.id, { name })} />
              <label className="flex items-center gap-2">
                <span className="w-14 text-soft">Use</span>
                <select
                  className="field"
                  value={zone.kind}
                  onChange={(event) => acts.change(zone.id, { kind: event.target.value as Zone["kind"] })}
                >
                  <option value="measure">measure on its own</option>
                  <option value="leave out">leave out everywhere</option>
                </select>
              </label>
              {others.map((each) => (
                <button
                  key={each.name}
                  type="button"
                  className="act justify-self-start"
                  onClick={() => acts.copy(zone.id, each.name)}
                >
                  Copy to {each.title}
                </button>
              ))}
              {zone.kind === "measure" ? (
                <Link
                  className="quiet-link"
                  to={`/studies/plan?scene=${scene.name}&view=${view}&variant=${variant}&zone=${zone.id}`}
                >
                  Try something on this zone alone
                </Link>
              ) : null}
              <button type="button" className="act justify-self-start" onClick={() => acts.remove(zone)}>
                Remove {zone.name}
              </button>
            </div>
          ) : null}
        </li>
      ))}
    </ul>
  );
}

function Name({ zone, onCommit }: { zone: Zone; onCommit: (name: string) => void }) {
  const [name, setName] = useState(zone.name);
  const commit = () => {
    if (name.trim() && name.trim() !== zone.name) onCommit(name.trim());
    else setName(zone.name);
  };
  return (
    <label className="flex items-center gap-2">
      <span className="w-14 text-soft">Name</span>
      <input
        className="field min-w-0 flex-1"
        value={name}
        maxLength={80}
        onChange={(event) => setName(event.target.value)}
        onBlur={commit}
        onKeyDown={(event) => {
          if (event.key === "Enter") event.currentTarget.blur();
        }}
      />
    </label>
  );
}
