import type { Schema } from "../../api/client";
import { ChoiceField } from "../../parts/ChoiceField";
import { Labelled } from "../../parts/Labelled";
import type { Zone } from "../scenes/ZoneEditor";
import { type Corner, pixelBox } from "../scenes/zoneGeometry";
import { typed } from "./draft";
import type { Draft } from "./kept";
import { type FieldsProps, NumberField } from "./SetupFields";

const UNSURE = { on: "time", width: 0.1, cap: 8 } as const;
const SCALES = [
  [0.5, "at half the width"],
  [0.25, "at a quarter of the width"],
] as const;

/** How often, how small at first, how much at most: all that is about running and not about what is compared. */
export function RunningFields({
  draft,
  problems,
  change,
  engine,
  zones,
}: FieldsProps & { engine: Schema["Engine"] | undefined; zones: Zone[] }) {
  const sure = draft.until_sure;
  return (
    <>
      <details className="mt-2" open={Boolean(sure)}>
        <summary>Repeats, threads, time limit</summary>
        <div className="mt-2 flex flex-wrap items-start gap-5">
          <NumberField title="Seeds each" name="repeats" {...{ draft, problems, change }} />
          <ChoiceField
            title="Repeat"
            value={sure ? (sure.on as string) : ""}
            onChange={(on) => change({ until_sure: on ? { ...UNSURE, ...sure, on: on as "time" } : null })}
          >
            <option value="">that often</option>
            <option value="time">until the time ratio is sure</option>
            <option value="noise">until the noise ratio is sure</option>
          </ChoiceField>
          {sure ? (
            <>
              <Small
                title="Interval within (%)"
                value={Math.round(sure.width * 100)}
                problem={problems.until_sure?.[0]}
                onChange={(value) => change({ until_sure: { ...sure, width: value / 100 } })}
              />
              <Small
                title="Most seeds"
                value={sure.cap}
                onChange={(value) => change({ until_sure: { ...sure, cap: value } })}
              />
            </>
          ) : null}
          <NumberField title="Threads" name="threads" {...{ draft, problems, change }} />
          <NumberField
            title="Time limit a render (s)"
            name="time_limit_seconds"
            {...{ draft, problems, change }}
          />
        </div>
        {draft.kind === "ladder" && engine?.on_the_way ? (
          <label className="mt-2 flex items-center gap-2">
            <input
              type="checkbox"
              checked={draft.on_the_way ?? true}
              onChange={(event) => change({ on_the_way: event.target.checked })}
            />
            Take the whole ladder from one render a seed: {engine.title} writes pictures on the way
          </label>
        ) : null}
        {engine?.sequences && draft.factors.some((factor) => factor.subject === "frame") ? (
          <label className="mt-2 flex items-center gap-2">
            <input
              type="checkbox"
              checked={draft.in_one_go ?? true}
              onChange={(event) => change({ in_one_go: event.target.checked })}
            />
            Render frames that follow each other by one process: {engine.title} can
          </label>
        ) : null}
      </details>
      <details className="mt-2" open={Boolean(draft.budget || draft.small)}>
        <summary>Budget, small first</summary>
        <div className="mt-2 flex flex-wrap items-start gap-5">
          <Small
            title="At most (minutes)"
            value={draft.budget?.minutes ?? ""}
            problem={problems.budget?.[0]}
            onChange={(minutes) => change({ budget: budgetWith(draft, { minutes: minutes || null }) })}
          />
          <Small
            title="At most (renders)"
            value={draft.budget?.renders ?? ""}
            onChange={(renders) => change({ budget: budgetWith(draft, { renders: renders || null }) })}
          />
          <SmallFirst {...{ draft, change, zones }} problem={problems.small?.[0]} />
        </div>
        {draft.small ? (
          <p className="mt-1 text-soft text-sm">
            Rendered small now; change the plan to its full size later, and only that is rendered anew.
          </p>
        ) : null}
      </details>
    </>
  );
}

function SmallFirst({
  draft,
  change,
  zones,
  problem,
}: Pick<FieldsProps, "draft" | "change"> & { zones: Zone[]; problem: string | undefined }) {
  const measured = zones.filter((zone) => zone.kind === "measure");
  const crop = draft.small?.crop;
  const cropOf = (zone: Zone) => pixelBox(zone.points as unknown as Corner[], draft.width, draft.height);
  const inZone = measured.find((zone) => crop && JSON.stringify(cropOf(zone)) === JSON.stringify(crop));
  return (
    <ChoiceField
      title="Render"
      problem={problem}
      value={inZone ? `zone ${inZone.id}` : String(draft.small?.scale ?? (crop ? "part" : ""))}
      onChange={(value) => {
        const zone = measured.find((each) => `zone ${each.id}` === value);
        change({
          small: zone ? { crop: cropOf(zone) } : value ? { scale: Number(value) } : null,
          left_out: [],
        });
      }}
    >
      <option value="">in full</option>
      {SCALES.map(([scale, title]) => (
        <option key={scale} value={scale}>
          {title}
        </option>
      ))}
      {measured.map((zone) => (
        <option key={zone.id} value={`zone ${zone.id}`}>
          only zone {zone.name}
        </option>
      ))}
      {crop && !inZone ? <option value="part">a part of the picture</option> : null}
    </ChoiceField>
  );
}

function budgetWith(
  draft: Draft,
  part: { minutes?: number | null; renders?: number | null },
): Draft["budget"] {
  const budget = { minutes: draft.budget?.minutes ?? null, renders: draft.budget?.renders ?? null, ...part };
  return budget.minutes || budget.renders ? budget : null;
}

function Small({
  title,
  value,
  problem,
  onChange,
}: {
  title: string;
  value: number | string;
  problem?: string | undefined;
  onChange: (value: number) => void;
}) {
  return (
    <Labelled title={title} problem={problem}>
      <input
        className="field w-24 text-right"
        inputMode="decimal"
        aria-invalid={problem ? true : undefined}
        value={String(value)}
        onChange={(event) => onChange(typed(event.target.value) as number)}
      />
    </Labelled>
  );
}
