import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { api, body, type Schema } from "../../api/client";
import { scenesQuery, transformsQuery, viewPictureQuery, zonesQuery } from "../../api/queries";
import { ChangedMeanwhile, isStale, seen } from "../../parts/ChangedMeanwhile";
import { Labelled } from "../../parts/Labelled";
import { Failed, Loading, Notice } from "../../parts/Notice";
import { useRemembered } from "../../parts/remembered";
import { useRemoval } from "../../parts/Undo";
import { useTitle } from "../../parts/useTitle";
import { References } from "./References";
import { type Drawing, type Zone, ZoneEditor } from "./ZoneEditor";
import { ZoneList } from "./ZoneList";
import type { Corner, Shape } from "./zoneGeometry";

const USUAL_RATIO = 16 / 9; // until there is a picture to say otherwise

/** One scene: look at its views and variants, draw zones, keep references. */
export function ScenePage() {
  const { name = "" } = useParams();
  const scenes = useQuery(scenesQuery);
  const scene = scenes.data?.scenes.find((each) => each.name === name);
  const stated = scenes.data?.elsewhere.find((each) => each.name === name);
  const shown = scene ?? stated;
  useTitle(shown?.title ?? "Scene");
  if (scenes.error && !scenes.data)
    return <Failed what="scene" error={scenes.error} retry={() => void scenes.refetch()} />;
  if (!scenes.data) return <Loading what="scene" />;
  if (!shown)
    return (
      <div className="p-6">
        <Notice kind="fault">
          <p>
            There is no scene {name} in the scenes folder.{" "}
            <Link to="/scenes" className="quiet-link">
              All scenes
            </Link>
          </p>
        </Notice>
      </div>
    );
  return <Scene key={shown.name} scene={shown} renders={shown === scene} />;
}

/** `renders`: whether its files are here, so that it can be rendered. */
function Scene({ scene, renders }: { scene: Schema["Scene"]; renders: boolean }) {
  const [wanted] = useSearchParams();
  const [kept, setKept] = useRemembered(`scene.${scene.name}.view`, "");
  const [chosenView, setChosenView] = useState(wanted.get("view") ?? kept);
  const view = oneOf(scene.views, chosenView);
  const setView = (name: string) => {
    setChosenView(name);
    setKept(name);
  };
  const [chosenVariant, setVariant] = useState(wanted.get("variant") ?? "as-is");
  const variant = oneOf(scene.variants, chosenVariant);
  const [exposure, setExposure] = useState(0);
  const zones = useQuery(zonesQuery(scene.name));
  const here = (zones.data ?? []).filter((zone) => zone.view === view);
  const [chosen, setChosen] = useState<number | null>(null);
  const [drawing, setDrawing] = useState<Drawing>(null);
  const edit = useZoneActs(scene.name, view, setChosen);
  const picture = usePicture(scene, view, variant, exposure);
  const ratio = useRatio(picture.url);
  return (
    <div className="grid min-h-full grid-cols-[minmax(0,1fr)_22rem]">
      <div className="px-6 py-5">
        <p className="text-soft">
          <Link to="/scenes" className="quiet-link">
            Scenes
          </Link>
        </p>
        <h1 className="text-xl font-semibold leading-snug">{sentence(scene, here)}</h1>
        <div className="mt-3 mb-2 flex flex-wrap items-end gap-x-4 gap-y-2">
          <Labelled title="View">
            <select
              className="field"
              value={view}
              onChange={(event) => {
                setView(event.target.value);
                setChosen(null);
                setDrawing(null);
              }}
            >
              {scene.views.map((each) => (
                <option key={each.name} value={each.name}>
                  {each.title}
                </option>
              ))}
            </select>
          </Labelled>
          <Labelled title="Variant">
            <select className="field" value={variant} onChange={(event) => setVariant(event.target.value)}>
              {scene.variants.map((each) => (
                <option key={each.name} value={each.name}>
                  {each.title}
                </option>
              ))}
            </select>
          </Labelled>
          <Labelled title={`Exposure ${exposure > 0 ? "+" : ""}${exposure}`}>
            <input
              type="range"
              min={-4}
              max={6}
              step={1}
              className="h-8 w-28 accent-ink"
              value={exposure}
              onChange={(event) => setExposure(Number(event.target.value))}
            />
          </Labelled>
          <fieldset className="flex items-end gap-2">
            <legend className="text-soft text-sm">Draw a zone</legend>
            {(["rectangle", "polygon"] as const).map((shape) => (
              <button
                key={shape}
                type="button"
                className="act"
                aria-pressed={drawing === shape}
                onClick={() => setDrawing(drawing === shape ? null : shape)}
              >
                {shape === "rectangle" ? "Rectangle" : "Polygon"}
              </button>
            ))}
          </fieldset>
        </div>
        <ZoneEditor
          picture={picture.url}
          alt={`${scene.title}, ${view}, ${variant}`}
          ratio={ratio}
          zones={here}
          chosen={chosen}
          drawing={drawing}
          onChoose={setChosen}
          onDrawn={(shape, points) => {
            setDrawing(null);
            edit.add.mutate({ shape, points, name: freeName(here) });
          }}
          onChange={(id, points) => edit.change.mutate({ id, values: { points } })}
          onRemove={(id) => {
            const zone = here.find((each) => each.id === id);
            if (zone) edit.remove(zone);
          }}
          onCancel={() => setDrawing(null)}
        />
        <p className="mt-1 min-h-6 text-soft text-sm" role="status">
          {drawingWords(drawing) || picture.words}
        </p>
        {renders ? (
          <div className="mt-1 flex gap-3">
            <button type="button" className="act" onClick={picture.take} disabled={picture.taking}>
              {picture.taking ? "Rendering a quick look …" : "Render a quick look"}
            </button>
            <Link
              className="act flex items-center"
              to={`/studies/plan?scene=${scene.name}&view=${view}&variant=${variant}`}
            >
              New study of this view
            </Link>
          </div>
        ) : (
          <p className="mt-1 max-w-prose text-soft text-sm">
            Its files are not in the scenes folder, so nothing is rendered of it here. Zones and references
            count for the renders that were brought in.
          </p>
        )}
        <ChangedMeanwhile
          error={edit.change.error}
          what="this zone"
          theirs={edit.change.reset}
          mine={() => edit.change.variables && edit.change.mutate({ ...edit.change.variables, anyway: true })}
        />
        {[picture.error, edit.error].map((error) =>
          error && !isStale(error) ? (
            <div key={error.message} className="mt-2">
              <Notice kind="fault">
                <p>{error.message}</p>
              </Notice>
            </div>
          ) : null,
        )}
        <div className="mt-2">{edit.undo}</div>
        <References
          scene={scene}
          view={view}
          variant={variant}
          frame={Number(wanted.get("frame")) || scene.first_frame}
          add={wanted.get("add")}
        />
      </div>
      <aside
        aria-label="Zones and what the scene declares"
        className="border-line border-l bg-wash/60 px-5 py-5"
      >
        <h2 className="mb-2 font-semibold">Zones of this view</h2>
        <ZoneList
          scene={scene}
          view={view}
          variant={variant}
          zones={here}
          chosen={chosen}
          onChoose={setChosen}
          acts={{
            change: (id, values) => edit.change.mutate({ id, values }),
            copy: (id, to) => edit.copy.mutate({ id, to }),
            remove: (zone) => edit.remove(zone),
          }}
        />
        {edit.said ? (
          <p role="status" className="mt-2 text-sm">
            {edit.said}
          </p>
        ) : null}
        <Declared scene={scene} />
      </aside>
    </div>
  );
}

/** What was chosen, or the first where a scene has none of that name. */
function oneOf(rows: readonly { name: string }[], chosen: string): string {
  return rows.some((each) => each.name === chosen) ? chosen : (rows[0]?.name ?? "");
}

/** The shape of what is shown, in which zones are drawn. */
function useRatio(url: string): number {
  const [ratio, setRatio] = useState(USUAL_RATIO);
  useEffect(() => {
    if (!url) return;
    const image = new Image();
    image.onload = () => setRatio(image.naturalWidth / image.naturalHeight);
    image.src = url;
    return () => {
      image.onload = null;
    };
  }, [url]);
  return ratio;
}

function sentence(scene: Schema["Scene"], zones: Zone[]): string {
  const measured = zones.filter((zone) => zone.kind === "measure").length;
  const leftOut = zones.length - measured;
  const parts = [
    measured ? `${measured} ${measured === 1 ? "zone" : "zones"} measured` : "no zone measured on its own",
    leftOut ? `${leftOut} left out` : "nothing left out",
  ];
  return `${scene.title}: ${parts.join(", ")} in this view.`;
}

function drawingWords(drawing: Drawing): string {
  if (drawing === "rectangle") return "Drag from one corner to the other. Escape ends drawing.";
  if (drawing === "polygon")
    return "Click each corner; double-click or Enter closes it. Escape ends drawing.";
  return "";
}

function freeName(zones: Zone[]): string {
  for (let k = 1; ; k++) if (!zones.some((zone) => zone.name === `Zone ${k}`)) return `Zone ${k}`;
}

/** What the view's picture is, and how to get a quick one. */
function usePicture(scene: Schema["Scene"], view: string, variant: string, exposure: number) {
  const queries = useQueryClient();
  const studied = useQuery(viewPictureQuery(scene.name, view, variant));
  const transforms = useQuery(transformsQuery);
  const look = scene.looks.find((each) => each.view === view && each.variant === variant);
  const taking = useMutation({
    mutationFn: () =>
      body(
        api.POST("/api/scenes/{name}/look/", {
          params: { path: { name: scene.name } },
          body: { view, variant, frame: scene.first_frame },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["scenes"] }),
  });
  const digest = studied.data?.picture || look?.picture || "";
  const made = studied.data?.picture
    ? `Rendered with ${studied.data.made_by} in a study.`
    : look
      ? `A quick look, rendered with ${look.engine_title}.`
      : "";
  return {
    url: digest ? `/api/pictures/${digest}/shown/?exposure=${exposure}` : "",
    words: digest && transforms.data ? `${made} Shown through ${transforms.data.default}.` : "",
    take: () => taking.mutate(),
    taking: taking.isPending,
    error: taking.error,
  };
}

type ZoneChange = { id: number; values: Record<string, unknown>; anyway?: boolean };

function useZoneActs(scene: string, view: string, choose: (id: number | null) => void) {
  const queries = useQueryClient();
  const refresh = () =>
    Promise.all([
      queries.invalidateQueries({ queryKey: ["zones", scene] }),
      queries.invalidateQueries({ queryKey: ["scenes"] }),
    ]);
  const [said, setSaid] = useState("");
  const at = (id: number) => ({ params: { path: { id } } });
  const add = useMutation({
    mutationFn: async (zone: { name: string; shape: Shape; points: Corner[] }) => {
      const made = api.POST("/api/scenes/{name}/zones/", {
        params: { path: { name: scene }, query: { view } },
        body: { ...zone, kind: "measure", points: zone.points as unknown as number[][] },
      });
      return (await body(made)) as unknown as Zone;
    },
    onSuccess: async (zone) => {
      await refresh();
      choose(zone.id);
    },
  });
  const change = useMutation({
    scope: { id: `zones of ${scene}` }, // one after the other, so that each knows what the one before made
    mutationFn: async ({ id, values, anyway }: ZoneChange) => {
      const version = queries.getQueryData<Zone[]>(["zones", scene])?.find((row) => row.id === id)?.version;
      return body(api.PATCH("/api/zones/{id}/", { ...at(id), body: values, ...seen(version, anyway) }));
    },
    onSuccess: (changed) =>
      queries.setQueryData<Zone[]>(["zones", scene], (rows) =>
        rows?.map((row) => (row.id === changed.id ? { ...row, version: changed.version } : row)),
      ),
    // the zone stays where it was put while the server answers
    onMutate: ({ id, values }) =>
      queries.setQueryData<Zone[]>(["zones", scene], (rows) =>
        rows?.map((row) => (row.id === id ? ({ ...row, ...values } as Zone) : row)),
      ),
    onSettled: refresh,
  });
  const copy = useMutation({
    scope: { id: `zones of ${scene}` }, // what is changed just now is in the copy too
    mutationFn: ({ id, to }: { id: number; to: string }) =>
      body(api.POST("/api/zones/{id}/copy/", { ...at(id), body: { view: to } })),
    onSuccess: async (zone, { to }) => {
      setSaid(`${zone?.name ?? "The zone"} is on the view ${to} as well.`);
      await refresh();
    },
  });
  const removal = useRemoval<Zone>({
    remove: (zone) => api.DELETE("/api/zones/{id}/", at(zone.id)),
    restore: (zone) => api.POST("/api/zones/{id}/restore/", at(zone.id)),
    words: (zone) => `${zone.name} was removed.`,
    refresh: () => {
      choose(null);
      return refresh();
    },
  });
  return {
    add,
    change,
    copy,
    remove: removal.take,
    undo: removal.notice,
    said,
    error: add.error ?? change.error ?? copy.error ?? removal.error,
  };
}

function Declared({ scene }: { scene: Schema["Scene"] }) {
  return (
    <>
      <h2 className="mt-6 mb-1 font-semibold">Quantities a study may vary</h2>
      {scene.quantities.length === 0 ? (
        <p className="text-soft text-sm">This scene declares none.</p>
      ) : (
        <ul className="text-sm">
          {scene.quantities.map((quantity) => (
            <li key={quantity.name} className="border-line border-b py-1">
              {quantity.title}
              <span className="block text-soft">
                {quantity.minimum} to {quantity.maximum}
                {quantity.unit ? ` ${quantity.unit}` : ""}, in the scene {quantity.default}
              </span>
            </li>
          ))}
        </ul>
      )}
      <h2 className="mt-6 mb-1 font-semibold">Variants</h2>
      <ul className="text-sm">
        {scene.variants.map((variant) => (
          <li key={variant.name} className="border-line border-b py-1">
            {variant.title}
            <span className="block text-soft">{variant.about}</span>
          </li>
        ))}
      </ul>
      {scene.stresses.length > 0 ? <h2 className="mt-6 mb-1 font-semibold">Stresses</h2> : null}
      <ul className="text-sm">
        {scene.stresses.map((stress) => (
          <li key={stress.name} className="border-line border-b py-1">
            {stress.title}
            <span className="block text-soft">{stress.about}</span>
          </li>
        ))}
      </ul>
    </>
  );
}
