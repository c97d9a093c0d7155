import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type RefObject, useEffect, useMemo, useRef, useState } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";
import { api, body, Problem, type Schema } from "../../api/client";
import { askAgain } from "../../api/events";
import { enginesQuery, questionsQuery, scenesQuery, zonesQuery } from "../../api/queries";
import { ChangedMeanwhile, isStale, seen } from "../../parts/ChangedMeanwhile";
import { ChoiceField } from "../../parts/ChoiceField";
import { Labelled } from "../../parts/Labelled";
import { Failed, Loading, Notice } from "../../parts/Notice";
import { useRemembered } from "../../parts/remembered";
import { useSettled } from "../../parts/useSettled";
import { useTitle } from "../../parts/useTitle";
import { factorOf, firstDraft, fitted, questionOf, sent } from "./draft";
import type { Draft, Kept } from "./kept";
import { PlanAside } from "./PlanAside";
import { RunningFields } from "./RunningFields";
import { SettingsTable } from "./SettingsTable";
import { named, OutputFields, SetupFields } from "./SetupFields";
import { SubjectsTable } from "./SubjectsTable";
import { placesOf, subjectsOf } from "./subjects";
import { useVary } from "./useVary";

const ASK_AFTER = 250;
type Then = "run" | "only";

/** Say the question, set the control, choose what varies; sheet, plan and cost follow beside it. */
export function PlanPage() {
  const id = useParams().id;
  const scenes = useQuery(scenesQuery);
  const engines = useQuery(enginesQuery);
  const questions = useQuery(questionsQuery);
  useTitle(id ? "Change the plan" : "New study");
  const error = scenes.error ?? engines.error ?? questions.error;
  const retry = () => void Promise.all([scenes.refetch(), engines.refetch(), questions.refetch()]);
  if (error) return <Failed what="form" error={error} retry={retry} />;
  if (!scenes.data || !engines.data || !questions.data) return <Loading what="scenes and engines" />;
  const study = id ? Number(id) : null;
  return (
    <Form key={study} {...{ study }} scenes={scenes.data} engines={engines.data} questions={questions.data} />
  );
}

type Given = {
  study: number | null;
  scenes: Schema["Scenes"];
  engines: Schema["Engines"];
  questions: Schema["Questions"];
};

function Form({ study, scenes, engines, questions }: Given) {
  const first = useMemo(() => firstDraft(scenes.scenes, engines.engines), [scenes, engines]);
  const [kept, keep] = useRemembered<Kept>(study === null ? "draft" : `plan of ${study}`, first);
  const [cleared, setCleared] = useState<Kept | null>(null);
  // a question that proposes what varies needs no list of all that does not
  const [held, setHeld] = useState<boolean | null>(null);
  const draft = fitted(kept, scenes.scenes, engines.engines);
  const version = useRef("");
  const began = useBeginning(study, draft, keep, version);
  const zones = useQuery(zonesQuery(draft.scene));
  const here = (zones.data ?? []).filter((zone) => zone.view === draft.view);
  const change = (part: Partial<Kept>) => {
    setCleared(null);
    keep({ ...draft, ...part });
  };
  const scene = scenes.scenes.find((each) => each.name === draft.scene);
  const engine = engines.engines.find((each) => each.name === draft.engine);
  const kind = questions.kinds.find((each) => each.name === draft.kind);
  const question = questions.questions.find((each) => each.name === draft.asked);
  const request = sent(draft, here);
  // the question's words change nothing of what it costs, and typing is not asked about at every key
  const settled = useSettled(JSON.stringify({ ...request, question: "" }), ASK_AFTER);
  const previewed = useMemo(() => JSON.parse(settled) as Draft, [settled]);
  const preview = useQuery({
    queryKey: ["preview", settled],
    queryFn: ({ signal }) => body(api.POST("/api/studies/preview/", { body: asked(previewed), signal })),
    placeholderData: keepPreviousData,
    enabled: request.factors.length > 0 && previewed.factors.length > 0,
  });
  const saving = useSaving(study, request, version, () =>
    study === null ? keep({ ...draft, question: "" }) : undefined,
  );
  const refused = saving.error instanceof Problem ? saving.error.fields : {};
  const found = draft.factors.length > 0 ? (preview.data?.problems ?? {}) : {};
  const problems = { ...withoutEmptyQuestion(found, draft), ...refused };
  const vary = useVary(draft, kind, request, problems, (part) =>
    change({
      ...part,
      question: questionOf(draft, part.factors ?? draft.factors, engine?.settings ?? []),
    }),
  );
  const ready =
    draft.question.trim() !== "" && draft.factors.length > 0 && Object.keys(problems).length === 0;
  const general = saving.error && Object.keys(refused).length === 0 ? saving.error.message : "";
  const trouble = began.error?.message ?? vary.error?.message;
  const many = kind ? kind.most_factors > 1 || kind.subjects.length > 0 : false;
  const places = many && scene ? placesOf(draft, scene, scenes.scenes, engine) : [];
  const subjects = scene ? [...subjectsOf(draft, scene, engines.engines), ...places] : [];
  const varied = (name: string) => factorOf(draft, name) !== null;

  const heldCount =
    subjects.filter((each) => !varied(each.name)).length +
    (engine?.settings.filter((each) => !varied(each.name)).length ?? 0);

  if (began.pending) return <Loading what="proposal" />;
  return (
    <form
      className="grid min-h-full grid-cols-[minmax(0,1fr)_27rem]"
      onSubmit={(event) => {
        event.preventDefault();
        if (ready) saving.mutate("run");
      }}
    >
      <div className="px-6 py-6">
        <h1 className="mb-4 text-xl font-semibold">{nextThing(draft, ready, kind)}</h1>
        {[...scenes.problems, ...engines.problems].map((problem) => (
          <div key={problem} className="mb-3">
            <Notice kind="fault">
              <p>Left out: {problem}</p>
            </Notice>
          </div>
        ))}
        {trouble ? (
          <div className="mb-3">
            <Notice kind="fault">
              <p>Nothing could be proposed: {trouble}</p>
            </Notice>
          </div>
        ) : null}
        <Labelled title="Question" problem={problems.question?.[0]}>
          <input
            className="field w-full"
            value={draft.question}
            maxLength={300}
            placeholder="Is this setting worth its time?"
            onChange={(event) => change({ question: event.target.value })}
          />
        </Labelled>
        <div className="mt-3 flex flex-wrap items-start gap-x-5 gap-y-3">
          <ChoiceField
            title="Plan"
            problem={problems.kind?.[0]}
            value={draft.kind ?? "on-off"}
            onChange={(name) => change({ kind: name as Draft["kind"], left_out: [] })}
          >
            {named(questions.kinds)}
          </ChoiceField>
          <ChoiceField
            title="Matched on"
            value={draft.match_on ?? "settings"}
            onChange={(match_on) => change({ match_on: match_on as Draft["match_on"] })}
          >
            <option value="settings">all settings but what varies</option>
            <option value="time">time</option>
            <option value="noise">noise</option>
            <option value="samples">samples</option>
          </ChoiceField>
          <p className="max-w-[20rem] pt-5 text-soft text-sm">{kind?.about}</p>
        </div>
        {question && question.name !== "own" ? (
          <p className="mt-2 text-soft text-sm">
            Answered by {question.measures.join(", ")}. To hold: {question.holds}
          </p>
        ) : null}
        {problems.factors || problems.left_out ? (
          <p role="alert" className="mt-2 text-fault">
            {capital((problems.factors ?? problems.left_out)?.[0] ?? "")}.
          </p>
        ) : null}
        <SetupFields
          {...{ draft, problems, change }}
          scenes={scenes.scenes}
          engines={engines.engines}
          zones={here}
        />
        {scene && scene.stresses.length > 0 ? (
          <p className="mt-2 text-soft text-sm">
            Stresses {scene.stresses.map((stress) => stress.title.toLowerCase()).join(", ")}.
          </p>
        ) : null}
        <div className="mt-5 space-y-6">
          {engine && scene ? (
            <>
              <SubjectsTable
                title="Varies: scene and engine"
                subjects={subjects.filter((each) => varied(each.name))}
                {...{ draft, problems, vary }}
                onChange={change}
              />
              <SettingsTable
                title="Varies: settings"
                settings={engine.settings.filter((each) => varied(each.name))}
                {...{ draft, problems, vary }}
                onChange={change}
              />
              <details
                open={held ?? ["", "own"].includes(draft.asked ?? "")}
                onToggle={(event) => setHeld(event.currentTarget.open)}
              >
                <summary>Held alike: {heldCount} things; any of them can be varied</summary>
                <div className="mt-3 space-y-6">
                  <SubjectsTable
                    title="Held: scene and engine"
                    subjects={subjects.filter((each) => !varied(each.name))}
                    {...{ draft, problems, vary }}
                    onChange={change}
                  />
                  <SettingsTable
                    title="Held: settings"
                    settings={engine.settings.filter((each) => !varied(each.name))}
                    {...{ draft, problems, vary }}
                    onChange={change}
                  />
                </div>
              </details>
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
        <RunningFields {...{ draft, problems, change, engine }} zones={here} />
        <button
          type="button"
          className="act mt-6"
          onClick={() => {
            setCleared(cleared ? null : draft);
            keep(cleared ?? first);
          }}
        >
          {cleared ? "Put back what was cleared" : "Clear the form"}
        </button>
      </div>
      <PlanAside
        {...{ draft }}
        preview={draft.factors.length > 0 ? preview.data : undefined}
        fresh={!preview.isPlaceholderData}
        request={asked(request)}
        acts={
          <>
            {draft.kind === "engines-scenes" && !varied("scene") && places.length > 0 ? (
              <p className="mb-2 text-sm">
                <button type="button" className="quiet-link" onClick={() => vary.begin("scene")}>
                  More: on the other scenes too
                </button>
                , so that no single one decides.
              </p>
            ) : null}
            <div className="flex flex-wrap gap-2">
              <button type="submit" className="act" data-kind="main" disabled={!ready || saving.isPending}>
                {study === null ? "Create and run" : "Change the plan and run what is new"}
              </button>
              <button
                type="button"
                className="act"
                disabled={!ready || saving.isPending}
                onClick={() => saving.mutate("only")}
              >
                {study === null ? "Create only" : "Change it only"}
              </button>
            </div>
            <ChangedMeanwhile
              error={saving.error}
              what="this plan"
              theirs={() => window.location.reload()}
              mine={() => {
                const asked = saving.variables;
                if (asked) saving.mutate({ go: typeof asked === "string" ? asked : asked.go, anyway: true });
              }}
            />
            {general && !isStale(saving.error) ? (
              <div className="mt-3">
                <Notice kind="fault">
                  <p>The study was not saved: {general}</p>
                </Notice>
              </div>
            ) : null}
          </>
        }
        onLeaveOut={(key, out) => {
          const others = (draft.left_out ?? []).filter((each) => each !== key);
          change({ left_out: out ? [...others, key] : others });
        }}
      />
    </form>
  );
}

function nextThing(draft: Draft, ready: boolean, kind: Schema["PlanKind"] | undefined): string {
  const one = kind?.most_levels === 1;
  if (draft.factors.length === 0)
    return one
      ? "Set the control, then change one thing for the trial."
      : "Set the control, then choose what varies.";
  if (!draft.question.trim()) return "Say in words what you want to know.";
  if (!ready) return "Something does not fit yet; it is marked below.";
  return one
    ? "Ready: control and trial differ in one thing."
    : "Ready: look at the plan, leave out what you can spare.";
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

function capital(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}

function useSaving(study: number | null, draft: Draft, version: RefObject<string>, onDone: () => void) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  return useMutation({
    mutationFn: async (asked: Then | { go: Then; anyway: true }) => {
      const { go, anyway } = typeof asked === "string" ? { go: asked, anyway: false } : asked;
      const saved =
        study === null
          ? await body(api.POST("/api/studies/", { body: draft }))
          : await body(
              api.PUT("/api/studies/{id}/plan/", {
                params: { path: { id: study } },
                body: draft,
                ...seen(version.current, anyway),
              }),
            );
      const params = { params: { path: { id: saved.id } } };
      if (go === "run") await api.POST("/api/studies/{id}/start/", params);
      return saved;
    },
    onSuccess: async (saved) => {
      onDone();
      await askAgain(queries, "runs", "measured");
      await navigate(`/studies/${saved.id}`);
    },
  });
}

/**
 * What the form begins with, taken over once: the plan of the study that is changed or copied, what a question
 * proposes, or a scene, view, variant, or zone that a link asks for.
 */
function useBeginning(
  study: number | null,
  draft: Kept,
  keep: (draft: Kept) => void,
  version: RefObject<string>,
) {
  const [wanted, setWanted] = useSearchParams();
  const beginning = useMutation({
    mutationFn: async () => {
      const copied = study ?? (wanted.get("copy") ? Number(wanted.get("copy")) : null);
      if (copied !== null) {
        if (study !== null) {
          const there = await body(api.GET("/api/studies/{id}/", { params: { path: { id: study } } }));
          version.current = there.plan_version;
        }
        const plan = await body(api.GET("/api/studies/{id}/draft/", { params: { path: { id: copied } } }));
        return { ...(plan as Kept), part: undefined as never };
      }
      const zone = wanted.get("zone");
      const placed = wanted.get("scene")
        ? {
            ...draft,
            scene: wanted.get("scene") ?? draft.scene,
            view: wanted.get("view") ?? draft.view,
            variant: wanted.get("variant") ?? "as-is",
            part: zone ? Number(zone) : null,
            quantities: {},
            factors: [],
          }
        : draft;
      const ask = wanted.get("ask");
      if (!ask) return placed;
      const { part: _, ...plain } = placed;
      const proposed = await body(api.POST("/api/studies/proposal/", { body: { ...plain, asked: ask } }));
      const { questions } = await body(api.GET("/api/questions/"));
      const title = questions.find((each) => each.name === ask)?.title ?? "";
      return {
        ...placed,
        asked: ask,
        question: ask === "own" ? "" : title,
        kind: proposed.kind as Draft["kind"],
        match_on: proposed.match_on as Draft["match_on"],
        factors: proposed.factors as Draft["factors"],
        passes: proposed.passes,
        left_out: [],
        small: null,
      };
    },
    onSuccess: (begun) => {
      keep(begun);
      setWanted({}, { replace: true });
    },
  });
  const asks = ["ask", "copy", "scene"].some((name) => wanted.get(name));
  // biome-ignore lint/correctness/useExhaustiveDependencies: taken over once, when the address asks for it
  useEffect(() => {
    if (asks || study !== null) beginning.mutate();
  }, [asks, study]);
  const begun = beginning.isSuccess || beginning.isError;
  return { error: beginning.error, pending: (asks || study !== null) && !begun };
}
