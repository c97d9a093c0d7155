import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, body, type Schema, upload } from "../../api/client";
import { referencesQuery, transformsQuery } from "../../api/queries";
import { FileDrop } from "../../parts/FileDrop";
import { day, duration, fixed, seconds, settingValue, three } from "../../parts/format";
import { Labelled } from "../../parts/Labelled";
import { Notice } from "../../parts/Notice";
import { useRemoval } from "../../parts/Undo";

type Reference = Schema["Reference"];
const KINDS: Record<Reference["kind"], string> = {
  render: "Long render",
  photograph: "Photograph",
  analytic: "Analytic picture",
};

type Place = { scene: Schema["Scene"]; view: string; variant: string; frame: number };

/** What renders of this view are judged against; `add`: which kind somebody came here to add. */
export function References({ add, ...place }: Place & { add: string | null }) {
  const { scene, view, variant } = place;
  const { data } = useQuery(referencesQuery(scene.name));
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: ["references", scene.name] });
  const removal = useRemoval<Reference>({
    remove: (row) => api.DELETE("/api/references/{id}/", { params: { path: { id: row.id } } }),
    restore: (row) => api.POST("/api/references/{id}/restore/", { params: { path: { id: row.id } } }),
    words: (row) => `The reference ${row.title} was removed.`,
    refresh,
  });
  const here =
    data?.filter((row) => row.view === view && (row.variant === variant || row.kind === "photograph")) ?? [];
  return (
    <section aria-label="References" className="mt-7">
      <h2 className="text-lg font-semibold">References of this view and variant</h2>
      {here.length === 0 ? (
        <p className="mt-1 text-soft">
          None yet. A pair's side with many samples becomes one on the pair's screen; a photograph or an
          analytic picture is added below.
        </p>
      ) : null}
      <ul>
        {here.map((row) => (
          <Row key={row.id} scene={scene} row={row} onRemove={() => removal.take(row)} onMatched={refresh} />
        ))}
      </ul>
      {removal.notice}
      <details className="mt-3" open={add !== null}>
        <summary>Add a photograph, an analytic picture, or a long render from a file</summary>
        <AddReference {...place} first={add === "render" ? "render" : "photograph"} onAdded={refresh} />
      </details>
    </section>
  );
}

function Row({
  scene,
  row,
  onRemove,
  onMatched,
}: {
  scene: Schema["Scene"];
  row: Reference;
  onRemove: () => void;
  onMatched: () => Promise<unknown>;
}) {
  const match = useMutation({
    mutationFn: () => body(api.POST("/api/references/{id}/match/", { params: { path: { id: row.id } } })),
    onSuccess: onMatched,
  });
  return (
    <li
      className="grid grid-cols-[160px_1fr_auto] gap-4 border-line border-b py-3"
      data-reference={row.title}
    >
      <img
        src={`/api/pictures/${row.matched_picture || row.picture}/thumbnail/`}
        alt={`Reference ${row.title}`}
        className="w-[160px]"
      />
      <div className="text-sm">
        <p className="font-semibold text-base">{row.title}</p>
        <p>
          {KINDS[row.kind]}, {row.width} × {row.height}, {day(row.created_at)}
          {row.frame === scene.first_frame ? "" : `, frame ${row.frame}`}
          {row.kind === "render"
            ? row.twin
              ? ", with its twin"
              : ", without a twin: its own noise is unknown"
            : ""}
          {row.encoding === "display" ? ", its values taken as sRGB" : ""}
        </p>
        <p className="text-soft">{details(row)}</p>
        {row.match ? <Report match={row.match} /> : null}
        {match.error ? (
          <Notice kind="fault">
            <p>Not matched: {match.error.message}</p>
          </Notice>
        ) : null}
      </div>
      <div className="flex flex-col gap-2">
        {row.kind === "photograph" ? (
          <button type="button" className="act" onClick={() => match.mutate()} disabled={match.isPending}>
            {match.isPending ? "Matching …" : row.match ? "Match again" : "Lay over a render"}
          </button>
        ) : null}
        <button type="button" className="act" onClick={onRemove}>
          Remove
        </button>
      </div>
    </li>
  );
}

function Report({ match }: { match: NonNullable<Reference["match"]> }) {
  const [red = 1, , blue = 1] = match.white_balance;
  const [right = 0, down = 0] = match.shift_pixels;
  const left = match.left_out.length ? `, ${match.left_out.join(", ")} left out` : "";
  return (
    <p className="mt-1" data-part="match report">
      For viewing: {match.stops >= 0 ? "brightened" : "darkened"} by {fixed(Math.abs(match.stops), 2)} stops,
      red × {fixed(red, 2)} and blue × {fixed(blue, 2)} against green. Shifted {fixed(Math.abs(right), 1)} px{" "}
      {right < 0 ? "left" : "right"} and {fixed(Math.abs(down), 1)} px {down < 0 ? "up" : "down"}, enlarged ×{" "}
      {fixed(match.scale, 3)}. Likeness of the edges {fixed(match.alike_before, 2)} before,{" "}
      {fixed(match.alike_after, 2)} after, over {Math.round(100 * match.covered)} % of the picture{left}.
      Turning and lens distortion are not undone; brightness and colour can no longer be judged by it.
    </p>
  );
}

function details(row: Reference): string {
  const known = row.details as Record<string, unknown>;
  if (row.kind === "render" && known.engine) {
    const settings = Object.entries((known.settings as Record<string, unknown>) ?? {})
      .slice(0, 4)
      .map(([name, value]) => `${name.replaceAll("_", " ")} ${settingValue(value)}`);
    const time = typeof known.seconds === "number" ? `, ${duration(known.seconds)} in all` : "";
    return `${known.engine} ${known.version ?? ""}: ${settings.join(", ")}${time}.`;
  }
  const parts = [
    known.exposure && `exposure ${known.exposure}`,
    known.lens && `lens ${known.lens}`,
    typeof known.field_of_view_degrees === "number" && `field of view ${three(known.field_of_view_degrees)}°`,
    known.taken_at && `taken ${known.taken_at}`,
    typeof known.capture_seconds === "number" && `the capture took ${seconds(known.capture_seconds)}`,
    known.notes,
  ].filter(Boolean);
  return parts.length ? `${parts.join(", ")}.` : "How it came to be is not known.";
}

const EMPTY = {
  title: "",
  exposure: "",
  lens: "",
  field_of_view_degrees: "",
  taken_at: "",
  capture_seconds: "",
  notes: "",
};
const HOW = {
  exposure: "Exposure (time, f-number, ISO)",
  lens: "Lens",
  field_of_view_degrees: "Field of view (°)",
  taken_at: "When",
  capture_seconds: "The capture took (s)",
  notes: "Notes",
} as const;

function AddReference({
  scene,
  view,
  variant,
  frame: shown,
  first,
  onAdded,
}: Place & {
  first: Reference["kind"];
  onAdded: () => Promise<unknown>;
}) {
  const transforms = useQuery(transformsQuery);
  const [kind, setKind] = useState<Reference["kind"]>(first);
  const [frame, setFrame] = useState(`${shown}`);
  const [said, setSaid] = useState(EMPTY);
  const [transform, setTransform] = useState("");
  const [file, setFile] = useState<File | null>(null);
  const [twin, setTwin] = useState<File | null>(null);
  const add = useMutation({
    mutationFn: () => {
      const form = new FormData();
      if (file) form.append("file", file);
      if (twin) form.append("twin", twin);
      const { title, ...how } = said;
      const known = Object.fromEntries(Object.entries(how).filter(([, value]) => value.trim()));
      const values = {
        kind,
        title,
        scene: scene.name,
        view,
        variant,
        frame,
        transform,
        details: JSON.stringify(known),
      };
      for (const [name, value] of Object.entries(values)) form.append(name, value);
      return upload<Reference>("/api/references/", form);
    },
    onSuccess: async () => {
      setSaid(EMPTY);
      setFile(null);
      setTwin(null);
      await onAdded();
    },
  });
  const asked =
    kind === "photograph" ? HOW : { notes: kind === "analytic" ? "How it was computed" : "How it was made" };
  return (
    <form
      className="mt-2 grid max-w-3xl grid-cols-2 gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate();
      }}
    >
      <Labelled title="Kind">
        <select
          className="field w-full"
          value={kind}
          onChange={(event) => setKind(event.target.value as typeof kind)}
        >
          {Object.entries(KINDS).map(([name, title]) => (
            <option key={name} value={name}>
              {title}
            </option>
          ))}
        </select>
      </Labelled>
      <Labelled title="Title">
        <input
          className="field w-full"
          value={said.title}
          maxLength={200}
          onChange={(event) => setSaid({ ...said, title: event.target.value })}
        />
      </Labelled>
      {kind !== "photograph" && scene.first_frame !== scene.last_frame ? (
        <Labelled title="Frame">
          <input
            className="field w-full"
            type="number"
            min={scene.first_frame}
            max={scene.last_frame}
            value={frame}
            onChange={(event) => setFrame(event.target.value)}
          />
        </Labelled>
      ) : null}
      <div className="col-span-2">
        <FileDrop
          accept=".exr,.hdr,.tif,.tiff,.png,.jpg,.jpeg"
          onFiles={([chosen]) => chosen && setFile(chosen)}
        >
          {file ? file.name : "Drop the picture here, or choose it: EXR, HDR, TIFF, PNG, JPEG."}
        </FileDrop>
      </div>
      {kind === "render" ? (
        <div className="col-span-2">
          <FileDrop accept=".exr" onFiles={([chosen]) => chosen && setTwin(chosen)}>
            {twin ? `Twin: ${twin.name}` : "Its twin, the same render with another seed (may be left out)."}
          </FileDrop>
        </div>
      ) : null}
      {Object.entries(asked).map(([name, title]) => (
        <Labelled key={name} title={title}>
          <input
            className="field w-full"
            value={said[name as keyof typeof said]}
            onChange={(event) => setSaid({ ...said, [name]: event.target.value })}
          />
        </Labelled>
      ))}
      <Labelled title="What its values went through (for PNG, JPEG, TIFF)">
        <select
          className="field w-full"
          value={transform}
          onChange={(event) => setTransform(event.target.value)}
        >
          <option value="">{kind === "photograph" ? "A camera's own, taken as sRGB" : "Not known"}</option>
          <option value="linear">Nothing: linear light</option>
          {transforms.data?.names.map((each) => (
            <option key={each}>{each}</option>
          ))}
        </select>
      </Labelled>
      <div className="col-span-2 flex items-center gap-3">
        <button type="submit" className="act" data-kind="main" disabled={!file || add.isPending}>
          {add.isPending ? "Adding …" : "Add the reference"}
        </button>
        {file ? null : <span className="text-soft text-sm">Choose a picture first.</span>}
      </div>
      {add.error ? (
        <div className="col-span-2">
          <Notice kind="fault">
            <p>The reference was not added: {add.error.message}</p>
          </Notice>
        </div>
      ) : null}
    </form>
  );
}
