import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, body, type Schema } from "../../api/client";
import { importLayersQuery, questionsQuery } from "../../api/queries";
import { Notice } from "../../parts/Notice";
import type { Group, Render } from "./groups";
import { type Asked, likelyPass, suggested } from "./suggested";

/** Makes one study of all options among the renders: its factors are what they differ in. */
export function MakeStudy({
  set,
  groups,
  references,
  judged,
  onJudged,
  chosen,
  knobs,
  knobsDown,
  times,
}: {
  set: number;
  groups: Group[];
  /** Renders whose names say that the others are judged by them. */
  references: Render[];
  /** Whether they are, and are no options. */
  judged: boolean;
  onJudged: (judged: boolean) => void;
  chosen: ReadonlySet<number>;
  knobs: readonly string[];
  /** Of these the ones of which less is better. */
  knobsDown: readonly string[];
  times: number;
}) {
  const questions = useQuery(questionsQuery).data?.questions ?? [];
  const [chosenQuestion, setAsked] = useState<Asked | null>(null);
  const suggestion = suggested(groups, knobs);
  const asked = chosenQuestion ?? suggestion.asked;
  const [question, setQuestion] = useState("");
  const [control, setControl] = useState("");
  const [grows, setGrows] = useState(true);
  const layers = useQuery({ ...importLayersQuery(set), enabled: asked === "pass" }).data?.layers;
  const [chosenLayer, setLayer] = useState("");
  const layer = asked === "pass" ? chosenLayer || likelyPass(layers ?? []) : "";
  const wanted = groups
    .map((group) => ({
      ...group,
      renders: group.renders.filter((each) => chosen.size === 0 || chosen.has(each.id)),
    }))
    .filter((group) => group.renders.length > 0);
  const against = wanted.find((group) => group.key === control);
  const title = asked === "own" ? "" : (questions.find((each) => each.name === asked)?.title ?? "");
  const titled = (asked === suggestion.asked && suggestion.words) || title;
  const words = question.trim() || titled;
  const make = useMutation({
    mutationFn: () =>
      body(
        api.POST("/api/imports/study/", {
          body: {
            question: words,
            asked,
            knobs: [...knobs],
            knobs_down: [...knobsDown],
            grows: grows && chosen.size === 0,
            control: against?.renders[0]?.id ?? null,
            pass_layer: layer,
            references: judged ? references.map((each) => each.id) : [],
            renders: wanted.flatMap((group) => group.renders.map((each) => each.id)),
          },
        }),
      ),
  });
  if (groups.length < 2) return null;
  const lacking =
    asked !== "pass" || layer
      ? ""
      : layers
        ? "These files have no layer besides the picture: a pass must be one."
        : "Looking for layers …";
  const problem =
    (wanted.length < 2 ? "Choose renders of two options at least." : lacking) ||
    (words ? "" : "Say what you want to know.");
  return (
    <form
      className="mb-8"
      aria-label="Make a study"
      onSubmit={(event) => {
        event.preventDefault();
        make.mutate();
      }}
    >
      <h2 className="mb-2 font-semibold">Make a study</h2>
      <p className="mb-2 text-sm">
        Of {chosen.size === 0 ? "all" : "the chosen"} {wanted.length} options
        {knobs.length > 0 ? `; quality by ${knobs.join(", ")}` : ""}.
        {times > 0
          ? ` ${times} ${times === 1 ? "row of the table has" : "rows of the table have"} no picture here and ${times === 1 ? "counts" : "count"} for time alone${grows && chosen.size === 0 ? ", once they name none that may still come" : ""}.`
          : ""}
      </p>
      <label className="mb-3 block">
        <span className="block text-soft text-sm">It asks</span>
        <select
          className="field w-full"
          value={asked}
          onChange={(event) => setAsked(event.target.value as Asked)}
        >
          {questions.map((each) => (
            <option key={each.name} value={each.name}>
              {each.title}
            </option>
          ))}
        </select>
      </label>
      {asked === "pass" && layers && layers.length > 0 ? (
        <label className="mb-3 block">
          <span className="block text-soft text-sm">The pass is the layer</span>
          <select className="field w-full" value={layer} onChange={(event) => setLayer(event.target.value)}>
            {layers.map((each) => (
              <option key={each}>{each}</option>
            ))}
          </select>
        </label>
      ) : null}
      <label className="mb-3 block">
        <span className="block text-soft text-sm">In words</span>
        <input
          className="field w-full"
          value={question}
          maxLength={300}
          placeholder={titled}
          onChange={(event) => setQuestion(event.target.value)}
        />
      </label>
      <label className="block">
        <span className="block text-soft text-sm">Compare everything with</span>
        <select className="field w-full" value={control} onChange={(event) => setControl(event.target.value)}>
          <option value="">what has most renders</option>
          {wanted.map((group) => (
            <option key={group.key} value={group.key}>
              {group.title}
            </option>
          ))}
        </select>
      </label>
      {references[0] ? (
        <label className="mt-3 flex items-start gap-2 text-sm">
          <input
            type="checkbox"
            className="mt-1"
            checked={judged}
            onChange={(event) => onJudged(event.target.checked)}
          />
          <span className="min-w-0 break-words">
            {references.length === 1
              ? `judged by ${references[0].name}, which is no option`
              : `judged by the ${references.length} renders called references, which are no options`}
          </span>
        </label>
      ) : null}
      {chosen.size === 0 ? (
        <label className="mt-3 flex items-center gap-2 text-sm">
          <input type="checkbox" checked={grows} onChange={(event) => setGrows(event.target.checked)} />
          <span>what comes into this set later joins it</span>
        </label>
      ) : null}
      <button type="submit" className="act mt-3" data-kind="main" disabled={problem !== "" || make.isPending}>
        Make the study
      </button>
      <p className="mt-1 text-soft text-sm">{problem}</p>
      {make.data ? <Made made={make.data} /> : null}
      {make.error ? (
        <Notice kind="fault">
          <p>{make.error.message}</p>
        </Notice>
      ) : null}
    </form>
  );
}

function Made({ made }: { made: Schema["MadeSequence"] }) {
  const left = made.left_out;
  return (
    <div role="status" className="mt-2 text-sm">
      <Link to={`/studies/${made.study}`} className="link">
        Open the study
      </Link>
      {left.length > 0 ? (
        <details className="mt-1" open={left.length <= 5}>
          <summary>
            {left.length} {left.length === 1 ? "render was" : "renders were"} left out
          </summary>
          <ul>
            {left.map((each) => (
              <li key={each} className="break-words">
                {each}
              </li>
            ))}
          </ul>
        </details>
      ) : null}
    </div>
  );
}
