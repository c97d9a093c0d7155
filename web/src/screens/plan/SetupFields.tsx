import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import type { Schema } from "../../api/client";
import { transformsQuery } from "../../api/queries";
import { ChoiceField } from "../../parts/ChoiceField";
import { Labelled } from "../../parts/Labelled";
import type { Zone } from "../scenes/ZoneEditor";
import { SIZES, typed } from "./draft";
import { type Draft, defaults, type Kept, type Scalar } from "./kept";

type Change = (part: Partial<Kept>) => void;
export type FieldsProps = { draft: Kept; problems: Record<string, string[]>; change: Change };

export function named(rows: readonly { name: string; title: string }[]): ReactNode {
  return rows.map((row) => (
    <option key={row.name} value={row.name}>
      {row.title}
    </option>
  ));
}

/** Scene, view, variant, frame, size, part, engine, build: what both sides have in common. */
export function SetupFields({
  draft,
  problems,
  change,
  scenes,
  engines,
  zones,
}: FieldsProps & { scenes: Schema["Scene"][]; engines: Schema["Engine"][]; zones: Zone[] }) {
  const scene = scenes.find((each) => each.name === draft.scene);
  const engine = engines.find((each) => each.name === draft.engine);
  return (
    <div className="mt-4 flex flex-wrap gap-x-5 gap-y-3">
      <ChoiceField
        title="Scene"
        problem={problems.scene?.[0]}
        value={draft.scene}
        onChange={(name) => {
          const next = scenes.find((each) => each.name === name);
          change({
            scene: name,
            view: next?.views[0]?.name ?? "",
            variant: "as-is",
            frame: next?.first_frame ?? 1,
            quantities: {},
            part: null,
            factors: draft.factors.filter((factor) => !isOfScene(factor.subject)),
            left_out: [],
          });
        }}
      >
        {named(scenes)}
      </ChoiceField>
      <ChoiceField
        title="View"
        problem={problems.view?.[0]}
        value={draft.view}
        onChange={(view) => change({ view, part: null })}
      >
        {named(scene?.views ?? [])}
      </ChoiceField>
      <ChoiceField
        title="Variant"
        problem={problems.variant?.[0]}
        value={draft.variant ?? "as-is"}
        onChange={(variant) => change({ variant })}
      >
        {named(scene?.variants ?? [])}
      </ChoiceField>
      {scene && scene.last_frame > scene.first_frame ? (
        <NumberField
          title={`Frame (${scene.first_frame} to ${scene.last_frame})`}
          name="frame"
          {...{ draft, problems, change }}
        />
      ) : null}
      <SizeFields {...{ draft, problems, change }} />
      <ChoiceField
        title="Part"
        wide // its zones come later, and what stands behind it stays where it is
        problem={problems.crop?.[0]}
        value={String(draft.part ?? "")}
        onChange={(part) => change({ part: part ? Number(part) : null })}
      >
        <option value="">Whole picture</option>
        {zones
          .filter((zone) => zone.kind === "measure")
          .map((zone) => (
            <option key={zone.id} value={zone.id}>
              Only zone {zone.name}
            </option>
          ))}
      </ChoiceField>
      <ChoiceField
        title="Engine"
        problem={problems.engine?.[0]}
        value={draft.engine}
        onChange={(name) => {
          const next = engines.find((each) => each.name === name);
          change({
            engine: name,
            build: "",
            settings: next ? defaults(next) : {},
            factors: draft.factors.filter((factor) => isOfPlace(factor.subject)),
            left_out: [],
            passes: [],
          });
        }}
      >
        {engines.map((each) => (
          <option key={each.name} value={each.name}>
            {each.title}
            {each.missing ? " (not on this machine)" : ""}
          </option>
        ))}
      </ChoiceField>
      {engine && engine.builds.length > 1 ? (
        <ChoiceField
          title="Build"
          problem={problems.build?.[0]}
          value={draft.build || (engine.builds[0]?.name ?? "")}
          onChange={(build) => change({ build })}
        >
          {named(engine.builds)}
        </ChoiceField>
      ) : null}
      {engine && engine.presets.length > 0 ? (
        <PresetField engine={engine} draft={draft} change={change} />
      ) : null}
    </div>
  );
}

/** Takes a preset's values over, or everything back to its default. */
function PresetField({ engine, draft, change }: { engine: Schema["Engine"]; draft: Kept; change: Change }) {
  const own = defaults(engine);
  const valuesOf = (name: string) => ({
    ...own,
    ...((engine.presets.find((preset) => preset.name === name)?.values ?? {}) as Record<string, Scalar>),
  });
  const same = (values: Record<string, Scalar>) =>
    Object.entries(values).every(([name, value]) => (draft.settings[name] ?? own[name]) === value);
  const now = same(own)
    ? "default"
    : (engine.presets.find((preset) => same(valuesOf(preset.name)))?.name ?? "");
  return (
    <ChoiceField title="Start from" value={now} onChange={(name) => change({ settings: valuesOf(name) })}>
      {now === "" ? <option value="">own values</option> : null}
      <option value="default">all at their defaults</option>
      {engine.presets.map((preset) => (
        <option key={preset.name} value={preset.name}>
          preset {preset.title}
        </option>
      ))}
    </ChoiceField>
  );
}

/** File format, view transform, and the passes to write besides the picture. */
export function OutputFields({
  draft,
  problems,
  change,
  formats,
  engine,
}: FieldsProps & { formats: Schema["Named"][]; engine: Schema["Engine"] | undefined }) {
  const transforms = useQuery(transformsQuery);
  const chosen = draft.passes ?? [];
  return (
    <div className="mt-2 flex flex-wrap gap-5">
      <ChoiceField
        title="File format"
        problem={problems.output_format?.[0] ?? problems.depth?.[0]}
        value={draft.output_format || "exr-half"}
        onChange={(output_format) => change({ output_format })}
      >
        {named(formats)}
      </ChoiceField>
      <ChoiceField
        title="View transform"
        problem={problems.view_transform?.[0]}
        value={draft.view_transform || (transforms.data?.default ?? "")}
        onChange={(view_transform) => change({ view_transform })}
      >
        {transforms.data?.names.map((each) => (
          <option key={each}>{each}</option>
        ))}
      </ChoiceField>
      <fieldset>
        <legend className="text-soft text-sm">Passes</legend>
        <div className="flex flex-wrap gap-x-4">
          {engine?.passes.map((row) => (
            <label key={row.name} className="flex items-center gap-1.5">
              <input
                type="checkbox"
                checked={chosen.includes(row.name)}
                onChange={(event) =>
                  change({
                    passes: event.target.checked
                      ? [...chosen, row.name]
                      : chosen.filter((name) => name !== row.name),
                  })
                }
              />
              {row.title}
            </label>
          ))}
        </div>
        {problems.passes ? <p className="text-fault text-sm">{problems.passes[0]}</p> : null}
      </fieldset>
    </div>
  );
}

/** What belongs to one scene, and is let go with it. */
function isOfScene(subject: string): boolean {
  return ["light", "view", "frame"].includes(subject) || subject.startsWith("quantity:");
}

/** What stays when the engine changes. */
function isOfPlace(subject: string): boolean {
  return isOfScene(subject) || ["scene", "size", "engine"].includes(subject);
}

function SizeFields({ draft, problems, change }: FieldsProps) {
  const preset = SIZES.findIndex((size) => size.width === draft.width && size.height === draft.height);
  return (
    <>
      <ChoiceField
        title="Size"
        problem={problems.width?.[0] ?? problems.height?.[0]}
        value={String(preset)}
        onChange={(index) => {
          const size = SIZES[Number(index)];
          change(size ? { width: size.width, height: size.height } : { width: 320, height: 180 });
        }}
      >
        {SIZES.map((size, index) => (
          <option key={size.title} value={index}>
            {size.title}
          </option>
        ))}
        <option value={-1}>Own size</option>
      </ChoiceField>
      {preset < 0 ? (
        <>
          <NumberField title="Width" name="width" {...{ draft, problems: {}, change }} />
          <NumberField title="Height" name="height" {...{ draft, problems: {}, change }} />
        </>
      ) : null}
    </>
  );
}

export type NumberName = "frame" | "width" | "height" | "repeats" | "threads" | "time_limit_seconds";

export function NumberField({
  title,
  name,
  draft,
  problems,
  change,
}: FieldsProps & { title: string; name: NumberName }) {
  const problem = problems[name]?.[0];
  return (
    <Labelled title={title} problem={problem}>
      <input
        className="field w-24 text-right"
        inputMode="numeric"
        aria-invalid={problem ? true : undefined}
        value={String(draft[name] ?? "")}
        onChange={(event) => change({ [name]: typed(event.target.value) } as Partial<Draft>)}
      />
    </Labelled>
  );
}
