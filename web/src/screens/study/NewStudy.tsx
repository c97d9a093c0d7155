import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useEffect, useMemo, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { api, body, Problem, type Schema } from "../../api/client";
import { enginesQuery, scenesQuery, zonesQuery } from "../../api/queries";
import { Labelled } from "../../parts/Labelled";
import { MatchSheet } from "../../parts/MatchSheet";
import { Failed, Loading, Notice } from "../../parts/Notice";
import { useRemembered } from "../../parts/remembered";
import { useTitle } from "../../parts/useTitle";
import { type Draft, firstDraft, fitted, type Kept, sent } from "./draft";
import { PlanList } from "./PlanList";
import { SettingsTable } from "./SettingsTable";
import { NumberField, OutputFields, SetupFields } from "./SetupFields";
import { SubjectsTable } from "./SubjectsTable";
import { subjectsOf } from "./subjects";

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
  const [kept, keep] = useRemembered<Kept>("draft", first);
  const [cleared, setCleared] = useState<Kept | null>(null);
  const draft = fitted(kept, scenes.scenes, engines.engines);
  useAsked(draft, keep);
  const zones = useQuery(zonesQuery(draft.scene));
  const here = (zones.data ?? []).filter((zone) => zone.view === draft.view);
  const change = (part: Partial<Kept>) => {
    setCleared(null);
    keep({ ...draft, ...part });
  };
  const scene = scenes.scenes.find((each) => each.name === draft.scene);
  const engine = engines.engines.find((each) => each.name === draft.engine);
  const request = sent(draft, here);
  const settled = useDeferredValue(request);
  const preview = useQuery({
    queryKey: ["preview", settled],
    queryFn: () => body(api.POST("/api/studies/preview/", { body: asked(settled) })),
    placeholderData: keepPreviousData,
    enabled: settled.under_test !== "",
  });
  const creating = useCreation(request, () => keep({ ...draft, question: "" }));
  const refused = creating.error instanceof Problem ? creating.error.fields : {};
  const found = draft.under_test ? (preview.data?.problems ?? {}) : {};
  const problems = { ...withoutEmptyQuestion(found, draft), ...refused };
  const ready = draft.question.trim() !== "" && draft.under_test !== "" && Object.keys(problems).length === 0;
  const general = creating.error && Object.keys(refused).length === 0 ? creating.error.message : "";

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
        <SetupFields
          {...{ draft, problems, change }}
          scenes={scenes.scenes}
          engines={engines.engines}
          zones={here}
        />
        {scene ? (
          <p className="mt-2 text-soft text-sm">
            Stresses {scene.stresses.map((stress) => stress.title.toLowerCase()).join(", ")}.
          </p>
        ) : null}
        <div className="mt-5">
          {engine ? (
            <>
              <SubjectsTable
                subjects={scene ? subjectsOf(draft, scene, engines.engines) : []}
                engines={engines.engines}
                draft={draft}
                problems={problems}
                onChange={change}
              />
              <div className="mt-6">
                <SettingsTable
                  settings={engine.settings}
                  draft={draft}
                  problems={problems}
                  onChange={change}
                />
              </div>
            </>
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
          <summary>File format, view transform, passes</summary>
          <OutputFields {...{ draft, problems, change }} formats={scenes.formats} engine={engine} />
        </details>
        <details className="mt-2">
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
      <aside aria-label="Match sheet and plan" className="border-line border-l bg-wash/60">
        {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a sheet longer than the window is scrolled by keyboard */}
        <div className="sticky top-0 max-h-[calc(100dvh-2.5rem)] overflow-auto px-5 py-6" tabIndex={0}>
          <h2 className="mb-2 font-semibold">Match sheet</h2>
          {draft.under_test && preview.data?.match_sheet ? (
            <>
              {preview.data.notes.map((note) => (
                <div key={note} className="mb-3">
                  <Notice kind="plain">
                    <p className="first-letter:uppercase">{note}</p>
                  </Notice>
                </div>
              ))}
              <MatchSheet sheet={preview.data.match_sheet} />
              <h2 className="mt-5 mb-1 font-semibold">Plan</h2>
              <PlanList plan={preview.data.plan} />
            </>
          ) : (
            <p className="text-soft">
              {draft.under_test
                ? "Mend what is marked on the left, and the sheet shows what is held."
                : "Change one thing for the trial, and the sheet shows that all the rest is held."}
            </p>
          )}
        </div>
      </aside>
    </form>
  );
}

function nextThing(draft: Draft, ready: boolean): string {
  if (!draft.under_test) return "Set the control, then change one thing for the trial.";
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

/** A link may ask for a scene, view, variant, or a zone alone; that is taken over once. */
function useAsked(draft: Kept, keep: (draft: Kept) => void) {
  const [asked, setAsked] = useSearchParams();
  // biome-ignore lint/correctness/useExhaustiveDependencies: taken over once, when the address asks for it
  useEffect(() => {
    if (!asked.get("scene")) return;
    const zone = asked.get("zone");
    keep({
      ...draft,
      scene: asked.get("scene") ?? draft.scene,
      view: asked.get("view") ?? draft.view,
      variant: asked.get("variant") ?? "as-is",
      part: zone ? Number(zone) : null,
      quantities: {},
    });
    setAsked({}, { replace: true });
  }, [asked]);
}
