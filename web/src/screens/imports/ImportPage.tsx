import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, body } from "../../api/client";
import { importQuery } from "../../api/queries";
import { seconds, settingValue } from "../../parts/format";
import { Failed, Loading, Notice } from "../../parts/Notice";
import { SideName } from "../../parts/Side";
import { useRemoval } from "../../parts/Undo";
import { useTitle } from "../../parts/useTitle";
import { Columns } from "./Columns";
import { FillIn } from "./FillIn";
import { frameGroups, type Group, grouped, type Render, varyingSettings } from "./groups";
import { Layers } from "./Layers";
import { MakeSequence } from "./MakeSequence";
import { MakeStudy } from "./MakeStudy";
import { Names } from "./Names";
import { Watch } from "./Watch";

type Sides = { control: string; trial: string };

/** One set of renders from elsewhere: what is known of each, what is asked, and pairs of them. */
export function ImportPage() {
  const id = Number(useParams().id);
  const set = useQuery(importQuery(id));
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: ["import", id] });
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
  const [judged, setJudged] = useState(true);
  const removal = useRemoval<number>({
    remove: (set) => api.DELETE("/api/imports/{id}/", { params: { path: { id: set } } }),
    restore: (set) => api.POST("/api/imports/{id}/restore/", { params: { path: { id: set } } }),
    words: () => "The set was removed.",
    refresh: () => queries.invalidateQueries({ queryKey: ["imports"] }),
  });
  useTitle(set.data?.title ?? "Imported renders");
  if (removal.notice) return <div className="p-6">{removal.notice}</div>;
  if (set.error && !set.data)
    return <Failed what="set of renders" error={set.error} retry={() => void set.refetch()} />;
  if (!set.data) return <Loading what="renders" />;
  const called = new Set(set.data.references);
  const named = judged ? called : new Set<number>();
  const renders = set.data.renders.map((each) => (named.has(each.id) ? { ...each, missing: [] } : each));
  const options = grouped(renders.filter((each) => !named.has(each.id)));
  const bad = renders.filter((render) => render.problem);
  const good = renders.filter((render) => !render.problem);
  return (
    <div className="grid min-h-full grid-cols-[minmax(0,1fr)_22rem]">
      <div className="px-6 py-6">
        <p className="text-soft">
          <Link to="/imports" className="quiet-link">
            Imported renders
          </Link>
          , {set.data.title}
        </p>
        <h1 className="text-xl font-semibold leading-snug">{sentence(good, bad.length)}</h1>
        {bad.length > 0 ? (
          <details className="mt-3" open={bad.length <= 5}>
            <summary className="text-fault">
              {bad.length} {bad.length === 1 ? "file" : "files"} could not be imported
            </summary>
            <ul className="mt-1 text-sm" aria-label="Files that could not be imported">
              {bad.map((render) => (
                <li key={render.id} className="border-line border-b py-1">
                  {render.name}: {render.problem}
                </li>
              ))}
            </ul>
          </details>
        ) : null}
        <Watch set={set.data} onChanged={refresh} />
        <Layers set={set.data} onChanged={refresh} />
        <Names set={set.data} onChanged={refresh} />
        <Columns set={set.data} onChanged={refresh} />
        <FillIn
          renders={good}
          folder={set.data.source === "folder" ? set.data.title : ""}
          chosen={chosen}
          onFilled={refresh}
        />
        <RenderTable renders={good} references={named} chosen={chosen} onChoose={setChosen} />
        <button type="button" className="act mt-4" onClick={() => removal.take(id)}>
          Remove this set
        </button>
      </div>
      <aside aria-label="Make a study" className="border-line border-l bg-wash/60 px-5 py-6">
        <MakeStudy
          set={id}
          groups={options}
          references={renders.filter((each) => called.has(each.id))}
          judged={judged}
          onJudged={setJudged}
          chosen={chosen}
          knobs={set.data.knobs}
          knobsDown={set.data.knobs_down}
          times={set.data.times_alone}
        />
        <MakePair groups={options} />
        <MakeSequence groups={frameGroups(renders)} references={called} />
      </aside>
    </div>
  );
}

function sentence(good: Render[], bad: number): string {
  const open = good.filter((render) => render.missing.length > 0).length;
  const looks = good.filter((render) => render.encoding === "display").length;
  const parts = [`${good.length} ${good.length === 1 ? "render" : "renders"} imported`];
  if (bad) parts.push(`${bad} could not be`);
  const next = open
    ? `fill in what is missing for ${open}`
    : looks
      ? `${looks} can only be looked at until their view transform is stated`
      : "choose what to compare";
  return `${parts.join(", ")}: ${next}.`;
}

function RenderTable({
  renders,
  references,
  chosen,
  onChoose,
}: {
  renders: Render[];
  /** Those that judge the others. */
  references: ReadonlySet<number>;
  chosen: ReadonlySet<number>;
  onChoose: (chosen: ReadonlySet<number>) => void;
}) {
  const all = renders.length > 0 && renders.every((render) => chosen.has(render.id));
  const varying = varyingSettings(renders);
  const toggle = (id: number) => {
    const next = new Set(chosen);
    if (!next.delete(id)) next.add(id);
    onChoose(next);
  };
  return (
    <table className="table-plain mt-3 w-full text-sm" aria-label="Renders">
      <thead>
        <tr>
          <th scope="col">
            <input
              type="checkbox"
              aria-label="All renders"
              checked={all}
              onChange={() => onChoose(new Set(all ? [] : renders.map((render) => render.id)))}
            />
          </th>
          <th scope="col">Picture</th>
          <th scope="col">Name</th>
          <th scope="col">Engine</th>
          <th scope="col">Scene, view</th>
          <th scope="col" className="number">
            Seed
          </th>
          <th scope="col">Settings</th>
          <th scope="col" className="number">
            Time
          </th>
          <th scope="col">Values</th>
        </tr>
      </thead>
      <tbody>
        {renders.map((render) => (
          <tr key={render.id} data-render={render.name}>
            <td>
              <input
                type="checkbox"
                aria-label={render.name}
                checked={chosen.has(render.id)}
                onChange={() => toggle(render.id)}
              />
            </td>
            <td>
              <img
                src={`/api/pictures/${render.picture}/thumbnail/`}
                alt=""
                loading="lazy"
                className="w-[72px]"
              />
            </td>
            <th scope="row" className="max-w-60 break-words text-left font-normal">
              {render.name}
              <span className="block text-soft">
                {render.width} × {render.height}
                {references.has(render.id) ? ", the reference" : ""}
              </span>
              {render.notes.map((note) => (
                <span key={note} className="block text-fault">
                  {note}
                </span>
              ))}
            </th>
            <td>
              <Known render={render} names={["engine", "version"]} />
            </td>
            <td>
              <Known render={render} names={["scene", "view"]} />
              <span className="block text-soft">{moreOfPlace(render)}</span>
            </td>
            <td className="number">
              <Known render={render} names={["seed"]} />
            </td>
            <td className="max-w-56">
              <Settings render={render} varying={varying} />
            </td>
            <td className="number">
              {render.fields_known.seconds == null ? (
                <span className="text-soft">not known</span>
              ) : (
                seconds(Number(render.fields_known.seconds))
              )}
            </td>
            <td>
              {render.encoding === "display" ? (
                <span className="text-fault">display-encoded: look only</span>
              ) : (
                `linear${render.transform ? `, ${render.transform} undone` : ""}`
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** The settings that tell these renders apart, and how many more there are. */
function Settings({ render, varying }: { render: Render; varying: string[] }) {
  const all = Object.entries(render.settings);
  if (all.length === 0) return <span className="text-soft">not known</span>;
  const told = all.filter(([name]) => varying.includes(name) || all.length <= 3);
  const words = told.map(([name, value]) => `${name.replaceAll("_", " ")} ${settingValue(value)}`);
  const more = all.length - told.length;
  return (
    <span title={all.map(([name, value]) => `${name} ${settingValue(value)}`).join(", ")}>
      {words.join(", ")}
      {more > 0 ? (
        <span className="text-soft">
          {" "}
          {words.length ? "and " : ""}
          {more} alike in all
        </span>
      ) : null}
    </span>
  );
}

/** What else its place is known by: a light set-up, a frame. */
function moreOfPlace({ fields_known: { variant, frame } }: Render): string {
  return [variant, frame != null && `frame ${frame}`].filter(Boolean).join(", ");
}

function Known({ render, names }: { render: Render; names: string[] }) {
  return (
    <>
      {names.map((name) => {
        const value = render.fields_known[name];
        if (value != null) return <span key={name}>{settingValue(value)} </span>;
        return (
          <span key={name} className={render.missing.includes(name) ? "text-fault" : "text-soft"}>
            {name} not known{" "}
          </span>
        );
      })}
    </>
  );
}

function MakePair({ groups }: { groups: Group[] }) {
  const navigate = useNavigate();
  const [sides, setSides] = useState<Sides>({ control: "", trial: "" });
  const [question, setQuestion] = useState("");
  const at = (side: keyof Sides, fallback: number) =>
    groups.find((group) => group.key === sides[side]) ?? groups[fallback] ?? groups[0];
  const [control, trial] = [at("control", 0), at("trial", 1)];
  const make = useMutation({
    mutationFn: () =>
      body(
        api.POST("/api/imports/pair/", {
          body: {
            question: question.trim(),
            control: control?.renders.map((render) => render.id) ?? [],
            trial: trial?.renders.map((render) => render.id) ?? [],
          },
        }),
      ),
    onSuccess: (made) => navigate(`/pairs/${made.pair}`),
  });
  if (groups.length < 2 || !control || !trial) {
    return (
      <>
        <h2 className="mb-2 font-semibold">Make a pair</h2>
        <p className="text-soft text-sm">
          A pair needs two options. Renders that differ only in their seed count as one.
        </p>
      </>
    );
  }
  const problem = pairProblem(control, trial, question);
  return (
    <form
      aria-label="Make a pair"
      onSubmit={(event) => {
        event.preventDefault();
        make.mutate();
      }}
    >
      <h2 className="mb-2 font-semibold">Make a pair</h2>
      {(["control", "trial"] as const).map((side, index) => (
        <label key={side} className="mb-3 block">
          <SideName side={side} />
          <select
            className="field mt-0.5 w-full"
            value={at(side, index)?.key}
            onChange={(event) => setSides({ ...sides, [side]: event.target.value })}
          >
            {groups.map((group) => (
              <option key={group.key} value={group.key}>
                {group.title} ({seedWords(group.renders.length)})
              </option>
            ))}
          </select>
        </label>
      ))}
      <label className="block">
        <span className="block text-soft text-sm">Question</span>
        <input
          className="field w-full"
          value={question}
          maxLength={300}
          onChange={(event) => setQuestion(event.target.value)}
        />
      </label>
      <button type="submit" className="act mt-3" data-kind="main" disabled={problem !== "" || make.isPending}>
        Make the pair
      </button>
      <p className="mt-1 text-soft text-sm">{problem}</p>
      {Math.min(control.renders.length, trial.renders.length) < 2 ? (
        <p className="mt-1 text-sm">With one seed a side, noise stays unknown: bring in a twin.</p>
      ) : null}
      {make.error ? (
        <Notice kind="fault">
          <p>{make.error.message}</p>
        </Notice>
      ) : null}
    </form>
  );
}

function seedWords(count: number): string {
  return count === 1 ? "one seed" : `${count} seeds`;
}

function pairProblem(control: Group, trial: Group, question: string): string {
  if (control === trial) return "Choose two different options.";
  if (!control.complete || !trial.complete) return "Fill in what is not known of them first.";
  return question.trim() ? "" : "Say in words what you want to know.";
}
