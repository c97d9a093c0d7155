import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useDeferredValue, useMemo, useState } from "react";
import { useNavigate } from "react-router";
import { api, body, Problem, type Schema } from "../api/client";
import { enginesQuery, scenesQuery } from "../api/queries";
import { MatchSheet } from "../parts/MatchSheet";
import { Failed, Loading, Notice } from "../parts/Notice";
import { useRemembered } from "../parts/remembered";
import { useTitle } from "../parts/useTitle";
import { type Draft, defaults, firstDraft, fitted, SIZES, typed } from "./draft";
import { PlanList } from "./PlanList";
import { SettingsTable } from "./SettingsTable";

/** Say the question, set the control, change one thing; the match sheet follows beside it. */
export function NewStudy() {
  const scenes = useQuery(scenesQuery);
  const engines = useQuery(enginesQuery);
  useTitle("New study");
  const error = scenes.error ?? engines.error;
  if (error)
    return (
      <Failed what="form" error={error} retry={() => void scenes.refetch().then(() => engines.refetch())} />
    );
  if (!scenes.data || !engines.data) return <Loading what="scenes and engines" />;
  return <Form scenes={scenes.data} engines={engines.data} />;
}

function Form({ scenes, engines }: { scenes: Schema["Scenes"]; engines: Schema["Engines"] }) {
  const first = useMemo(() => firstDraft(scenes.scenes, engines.engines), [scenes, engines]);
  const [kept, keep] = useRemembered<Draft>("draft", first);
  const [cleared, setCleared] = useState<Draft | null>(null);
  const draft = fitted(kept, scenes.scenes, engines.engines);
  const change = (part: Partial<Draft>) => {
    setCleared(null);
    keep({ ...draft, ...part });
  };
  const scene = scenes.scenes.find((each) => each.name === draft.scene);
  const engine = engines.engines.find((each) => each.name === draft.engine);
  const settled = useDeferredValue(draft);
  const preview = useQuery({
    queryKey: ["preview", settled],
    queryFn: () => body(api.POST("/api/studies/preview/", { body: asked(settled) })),
    placeholderData: keepPreviousData,
    enabled: settled.under_test !== "",
  });
  const creating = useCreation(draft, () => keep({ ...draft, question: "" }));
  const sent = creating.error instanceof Problem ? creating.error.fields : {};
  const found = draft.under_test ? (preview.data?.problems ?? {}) : {};
  const problems = { ...withoutEmptyQuestion(found, draft), ...sent };
  const ready = draft.question.trim() !== "" && draft.under_test !== "" && Object.keys(problems).length === 0;
  const general = creating.error && Object.keys(sent).length === 0 ? creating.error.message : "";

  return (
    <form
      className="grid min-h-full grid-cols-[minmax(0,1fr)_25rem]"
      onSubmit={(event) => {
        event.preventDefault();
        if (ready) creating.mutate({ start: true });
      }}
    >
      <div className="px-6 py-6">
        <h1 className="mb-4 text-xl font-semibold">{nextThing(draft, ready)}</h1>
        {[...scenes.problems, ...engines.problems].map((problem) => (
          <div key={problem} className="mb-3">
            <Notice kind="fault">
              <p>Left out: {problem}</p>
            </Notice>
          </div>
        ))}
        <Labelled title="Question" problem={problems.question?.[0]}>
          <input
            className="field w-full"
            value={draft.question}
            maxLength={300}
            placeholder="Is this setting worth its time?"
            onChange={(event) => change({ question: event.target.value })}
          />
        </Labelled>
        <div className="mt-4 flex flex-wrap gap-x-5 gap-y-3">
          <Labelled title="Scene" problem={problems.scene?.[0]}>
            <select
              className="field"
              value={draft.scene}
              onChange={(event) => {
                const next = scenes.scenes.find((each) => each.name === event.target.value);
                change({ scene: event.target.value, view: next?.views[0]?.name ?? "" });
              }}
            >
              {scenes.scenes.map((each) => (
                <option key={each.name} value={each.name}>
                  {each.title}
                </option>
              ))}
            </select>
          </Labelled>
          <Labelled title="View" problem={problems.view?.[0]}>
            <select
              className="field"
              value={draft.view}
              onChange={(event) => change({ view: event.target.value })}
            >
              {scene?.views.map((view) => (
                <option key={view.name} value={view.name}>
                  {view.title}
                </option>
              ))}
            </select>
          </Labelled>
          <SizeFields draft={draft} problems={problems} change={change} />
          <Labelled title="Engine" problem={problems.engine?.[0]}>
            <select
              className="field"
              value={draft.engine}
              onChange={(event) => {
                const next = engines.engines.find((each) => each.name === event.target.value);
                change({ engine: event.target.value, settings: next ? defaults(next) : {}, under_test: "" });
              }}
            >
              {engines.engines.map((each) => (
                <option key={each.name} value={each.name}>
                  {each.title}
                  {each.missing ? " (not on this machine)" : ""}
                </option>
              ))}
            </select>
          </Labelled>
        </div>
        {scene ? <p className="mt-2 text-soft text-sm">Stresses {scene.stresses.join(", ")}.</p> : null}
        <div className="mt-5">
          {engine ? (
            <SettingsTable settings={engine.settings} draft={draft} problems={problems} onChange={change} />
          ) : (
            <Notice kind="fault">
              <p>
                No engine can be used. Put an engine definition into the engines folder; see
                docs/engine-definitions.md.
              </p>
            </Notice>
          )}
        </div>
        <details className="mt-4">
          <summary>Repeats, threads, time limit</summary>
          <div className="mt-2 flex flex-wrap gap-5">
            <NumberField title="Seeds a side" name="repeats" {...{ draft, problems, change }} />
            <NumberField title="Threads" name="threads" {...{ draft, problems, change }} />
            <NumberField
              title="Time limit a render (s)"
              name="time_limit_seconds"
              {...{ draft, problems, change }}
            />
          </div>
        </details>
        {general ? (
          <div className="mt-4">
            <Notice kind="fault">
              <p>The study was not created: {general}</p>
            </Notice>
          </div>
        ) : null}
        <div className="mt-6 flex gap-3">
          <button type="submit" className="act" data-kind="main" disabled={!ready || creating.isPending}>
            Create and run
          </button>
          <button
            type="button"
            className="act"
            disabled={!ready || creating.isPending}
            onClick={() => creating.mutate({ start: false })}
          >
            Create only
          </button>
          {cleared ? (
            <button
              type="button"
              className="act ml-auto"
              onClick={() => {
                keep(cleared);
                setCleared(null);
              }}
            >
              Put back what was cleared
            </button>
          ) : (
            <button
              type="button"
              className="act ml-auto"
              onClick={() => {
                setCleared(draft);
                keep(first);
              }}
            >
              Clear the form
            </button>
          )}
        </div>
      </div>
      <aside aria-label="Match sheet and plan" className="border-line border-l bg-wash/60 px-5 py-6">
        <h2 className="mb-2 font-semibold">Match sheet</h2>
        {draft.under_test && preview.data?.match_sheet ? (
          <>
            <MatchSheet sheet={preview.data.match_sheet} />
            <h2 className="mt-5 mb-1 font-semibold">Plan</h2>
            <PlanList plan={preview.data.plan} />
          </>
        ) : (
          <p className="text-soft">
            {draft.under_test
              ? "Mend what is marked on the left, and the sheet shows what is held."
              : "Change one setting for the trial, and the sheet shows that all the rest is held."}
          </p>
        )}
      </aside>
    </form>
  );
}

function nextThing(draft: Draft, ready: boolean): string {
  if (!draft.under_test) return "Set the control, then change one setting for the trial.";
  if (!draft.question.trim()) return "Say in words what you want to know.";
  return ready
    ? "Ready: control and trial differ in one thing."
    : "Something does not fit yet; it is marked below.";
}

/** The preview answers while the question is still empty. */
function asked(draft: Draft): Draft {
  return { ...draft, question: draft.question.trim() || "?" };
}

function withoutEmptyQuestion(problems: Record<string, string[]>, draft: Draft): Record<string, string[]> {
  if (draft.question.trim()) return problems;
  const { question: _, ...rest } = problems;
  return rest;
}

function useCreation(draft: Draft, onDone: () => void) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  return useMutation({
    mutationFn: async ({ start }: { start: boolean }) => {
      const study = await body(api.POST("/api/studies/", { body: draft }));
      if (start) await api.POST("/api/studies/{id}/start/", { params: { path: { id: study.id } } });
      return study;
    },
    onSuccess: async (study) => {
      onDone();
      await queries.invalidateQueries({ queryKey: ["overview"] });
      await navigate(`/studies/${study.id}`);
    },
  });
}

function Labelled({
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

type FieldsProps = {
  draft: Draft;
  problems: Record<string, string[]>;
  change: (part: Partial<Draft>) => void;
};

function SizeFields({ draft, problems, change }: FieldsProps) {
  const preset = SIZES.findIndex((size) => size.width === draft.width && size.height === draft.height);
  return (
    <>
      <Labelled title="Size" problem={problems.width?.[0] ?? problems.height?.[0]}>
        <select
          className="field"
          value={preset}
          onChange={(event) => {
            const size = SIZES[Number(event.target.value)];
            change(size ? { width: size.width, height: size.height } : { width: 320, height: 180 });
          }}
        >
          {SIZES.map((size, index) => (
            <option key={size.title} value={index}>
              {size.title}
            </option>
          ))}
          <option value={-1}>Own size</option>
        </select>
      </Labelled>
      {preset < 0 ? (
        <>
          <NumberField title="Width" name="width" {...{ draft, problems: {}, change }} />
          <NumberField title="Height" name="height" {...{ draft, problems: {}, change }} />
        </>
      ) : null}
    </>
  );
}

type NumberName = "width" | "height" | "repeats" | "threads" | "time_limit_seconds";

function NumberField({
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
