import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import { scenesQuery, transformsQuery } from "../../api/queries";
import { Labelled } from "../../parts/Labelled";
import { Notice } from "../../parts/Notice";
import { proposedPlace, type Render } from "./groups";

const FIELDS = {
  engine: "Engine",
  version: "Version",
  scene: "Scene",
  view: "View",
  machine: "Machine",
  seconds: "Time (s)",
} as const;
type Field = keyof typeof FIELDS;

/** Says what is not known: of the chosen renders, or of all that lack something. */
export function FillIn({
  renders,
  folder,
  chosen,
  onFilled,
}: {
  renders: Render[];
  /** What the folder that they came from is called; empty where they came from a browser. */
  folder: string;
  chosen: ReadonlySet<number>;
  onFilled: () => Promise<unknown>;
}) {
  const scenes = useQuery(scenesQuery);
  const transforms = useQuery(transformsQuery);
  const [typed, setTyped] = useState<Partial<Record<Field, string>>>({});
  const [setting, setSetting] = useState({ name: "", value: "" });
  const [transform, setTransform] = useState("");
  const lacking = renders.filter((render) => render.missing.length > 0 || render.encoding === "display");
  const meant = chosen.size > 0 ? renders.filter((render) => chosen.has(render.id)) : lacking;
  const values: Partial<Record<Field, string>> = { ...proposedPlace(renders, meant, folder), ...typed };
  const said = Object.fromEntries(Object.entries(values).filter(([, value]) => value.trim()));
  const fill = useMutation({
    mutationFn: () =>
      api.POST("/api/imports/fill-in/", {
        body: {
          renders: meant.map((render) => render.id),
          values: said,
          settings: setting.name.trim() ? { [setting.name.trim()]: setting.value } : {},
          ...(transform ? { transform } : {}),
        },
      }),
    onSuccess: async () => {
      setTyped({});
      setSetting({ name: "", value: "" });
      setTransform("");
      await onFilled();
    },
  });
  if (meant.length === 0) {
    return (
      <p className="mt-3 text-soft text-sm">Choose renders in the table to correct what is known of them.</p>
    );
  }
  const nothing = Object.keys(said).length === 0 && !setting.name.trim() && !transform;
  return (
    <form
      className="mt-3 border-edge border-y bg-wash/60 px-3 py-3"
      aria-label="Say what is not known"
      onSubmit={(event) => {
        event.preventDefault();
        if (!nothing) fill.mutate();
      }}
    >
      <p className="mb-2 text-sm">
        For {meant.length} {chosen.size > 0 ? "chosen" : "incomplete"}{" "}
        {meant.length === 1 ? "render" : "renders"}; empty fields stay as they are.
      </p>
      <div className="flex flex-wrap items-end gap-3">
        {Object.entries(FIELDS).map(([name, title]) => (
          <Labelled key={name} title={title}>
            <input
              className="field w-32"
              value={values[name as Field] ?? ""}
              list={name === "scene" ? "known-scenes" : undefined}
              onChange={(event) => setTyped({ ...values, [name]: event.target.value })}
            />
          </Labelled>
        ))}
        <datalist id="known-scenes">
          {scenes.data?.scenes.map((scene) => (
            <option key={scene.name} value={scene.name} />
          ))}
        </datalist>
        <Labelled title="A setting">
          <input
            className="field w-32"
            value={setting.name}
            onChange={(event) => setSetting({ ...setting, name: event.target.value })}
          />
        </Labelled>
        <Labelled title="Its value">
          <input
            className="field w-24"
            value={setting.value}
            onChange={(event) => setSetting({ ...setting, value: event.target.value })}
          />
        </Labelled>
        <Labelled title="Values went through">
          <select
            className="field w-56"
            value={transform}
            onChange={(event) => setTransform(event.target.value)}
          >
            <option value="">as it is</option>
            <option value="linear">Nothing: linear light</option>
            {transforms.data?.names.map((each) => (
              <option key={each}>{each}</option>
            ))}
          </select>
        </Labelled>
        <button type="submit" className="act" data-kind="main" disabled={nothing || fill.isPending}>
          Fill in
        </button>
      </div>
      {fill.error ? (
        <div className="mt-2">
          <Notice kind="fault">
            <p>{fill.error.message}</p>
          </Notice>
        </div>
      ) : null}
    </form>
  );
}
