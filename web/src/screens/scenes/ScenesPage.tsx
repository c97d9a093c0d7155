import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import type { Schema } from "../../api/client";
import { scenesQuery } from "../../api/queries";
import { Failed, Loading, Notice } from "../../parts/Notice";
import { useTitle } from "../../parts/useTitle";
import { Panoramas } from "./Panoramas";
import { Undescribed } from "./Undescribed";

/** All scenes with what they stress, and where nothing is stressed yet. */
export function ScenesPage() {
  const { data, error, refetch } = useQuery(scenesQuery);
  useTitle("Scenes");
  if (error && !data) return <Failed what="list of scenes" error={error} retry={() => void refetch()} />;
  if (!data) return <Loading what="scenes" />;
  return (
    <div className="mx-auto max-w-[76rem] px-6 py-6">
      <h1 className="text-xl font-semibold">{sentence(data)}</h1>
      {data.problems.map((problem) => (
        <div key={problem} className="mt-3">
          <Notice kind="fault">
            <p>{problem}</p>
          </Notice>
        </div>
      ))}
      <Undescribed open={data.scenes.length === 0} />
      <ul className="mt-5 border-edge border-t">
        {data.scenes.map((scene) => (
          <SceneRow key={scene.name} scene={scene} />
        ))}
      </ul>
      {data.elsewhere.length > 0 ? (
        <section aria-label="Known from renders made elsewhere" className="mt-6">
          <h2 className="font-semibold">Known from renders made elsewhere</h2>
          <p className="text-soft text-sm">
            {data.elsewhere.map((scene, place) => (
              <span key={scene.name}>
                {place > 0 ? ", " : ""}
                <Link to={`/scenes/${encodeURIComponent(scene.name)}`} className="quiet-link">
                  {scene.title}
                </Link>
              </span>
            ))}
          </p>
        </section>
      ) : null}
      <Stresses data={data} />
      <Panoramas />
    </div>
  );
}

const MOST_NAMED = 4;

function sentence(data: Schema["Scenes"]): string {
  const stressed = new Set(data.scenes.flatMap((scene) => scene.stresses.map((stress) => stress.name)));
  const missing = data.stresses.filter((stress) => !stressed.has(stress.name));
  const scenes = `${data.scenes.length} ${data.scenes.length === 1 ? "scene" : "scenes"}`;
  if (data.scenes.length === 0)
    return "No scene yet: put a scene file, or a folder with one, into the scenes folder.";
  if (missing.length === 0)
    return `${scenes}; between them they stress all ${data.stresses.length} things on the list.`;
  if (stressed.size === 0)
    return `${scenes}. What ${data.scenes.length === 1 ? "it stresses" : "they stress"} is not said yet.`;
  const titles = missing.map((stress) => stress.title.toLowerCase());
  const more = titles.length - MOST_NAMED;
  return `${scenes}; none stresses ${titles.slice(0, MOST_NAMED).join(", ")}${more > 0 ? ` and ${more} more of the list` : ""}.`;
}

function SceneRow({ scene }: { scene: Schema["Scene"] }) {
  const shown = scene.looks.find((look) => look.view === scene.views[0]?.name && look.variant === "as-is");
  const frames = scene.last_frame - scene.first_frame + 1;
  return (
    <li className="grid grid-cols-[200px_1fr_15rem] gap-5 border-line border-b py-4" data-scene={scene.name}>
      {shown ? (
        <img
          src={`/api/pictures/${shown.picture}/thumbnail/`}
          alt={`Quick look at ${scene.title}`}
          className="h-auto w-[200px]"
        />
      ) : (
        <div className="flex h-[113px] items-center justify-center bg-wash text-soft text-sm">
          No picture yet
        </div>
      )}
      <div>
        <h2 className="text-lg font-semibold leading-snug">
          <Link to={`/scenes/${scene.name}`} className="quiet-link">
            {scene.title}
          </Link>
        </h2>
        <p className="mt-0.5">{scene.about}</p>
        <p className="mt-1.5 text-soft text-sm">
          {scene.stresses.length > 0
            ? `Stresses ${scene.stresses.map((stress) => stress.title.toLowerCase()).join(", ")}.`
            : "Nothing is known of what it stresses."}
        </p>
      </div>
      <dl className="grid h-fit grid-cols-[auto_1fr] gap-x-3 text-sm [&>dt]:text-soft">
        <dt>Views</dt>
        <dd>{scene.views.map((view) => view.title).join(", ")}</dd>
        <dt>Variants</dt>
        <dd>{scene.variants.length}</dd>
        <dt>Frames</dt>
        <dd>{frames === 1 ? "1" : `${scene.first_frame} to ${scene.last_frame}`}</dd>
        <dt>Zones</dt>
        <dd>{scene.zone_count === 0 ? "none" : scene.zone_count}</dd>
        <dt>Revision</dt>
        <dd>{scene.revision.slice(0, 8)}</dd>
      </dl>
    </li>
  );
}

/** Which scene stresses what, as a table of marks. */
function Stresses({ data }: { data: Schema["Scenes"] }) {
  return (
    <section className="mt-8">
      <h2 className="mb-1 text-lg font-semibold">What they stress</h2>
      <table className="table-plain w-full text-sm">
        <thead>
          <tr>
            <th scope="col">Stress</th>
            {data.scenes.map((scene) => (
              <th key={scene.name} scope="col">
                {scene.title}
              </th>
            ))}
            <th scope="col">What to look for</th>
          </tr>
        </thead>
        <tbody>
          {data.stresses.map((stress) => (
            <tr key={stress.name}>
              <th scope="row" className="whitespace-nowrap text-left font-normal">
                {stress.title}
              </th>
              {data.scenes.map((scene) => (
                <td key={scene.name}>
                  {scene.stresses.some((each) => each.name === stress.name) ? "stresses it" : <Nothing />}
                </td>
              ))}
              <td className="text-soft">{stress.about}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-1 text-soft text-sm">
        A studio adds its own in a file stresses.toml beside the scenes; see demo/scenes/README.md.
      </p>
    </section>
  );
}

function Nothing() {
  return <span className="text-soft">–</span>;
}
