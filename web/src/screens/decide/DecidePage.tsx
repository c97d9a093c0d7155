import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { Problem } from "../../api/client";
import { studyQuery } from "../../api/queries";
import { ChangedMeanwhile, isStale } from "../../parts/ChangedMeanwhile";
import { Choice } from "../../parts/Choice";
import { Failed, Loading, Notice } from "../../parts/Notice";
import { useRemembered } from "../../parts/remembered";
import { useTitle } from "../../parts/useTitle";
import { SaveRecipe } from "../recipes/SaveRecipe";
import { ChosenPictures } from "./ChosenPictures";
import { FrontierChart } from "./FrontierChart";
import { type Decision, firmness, nameOf, type Use } from "./figures";
import { Limits } from "./Limits";
import { OptionsTable } from "./OptionsTable";
import { ForecastTable, ProductionForm } from "./Production";
import { useDecision } from "./useDecision";

/** Deciding: for each use the limits, the choice and how firm it is, what it costs and where it fails, and the recipe. */
export function DecidePage() {
  const id = Number(useParams().id);
  const [place, setPlace] = useRemembered(`decide.place.${id}`, "");
  const [named, setNamed] = useRemembered(`decide.use.${id}`, "animation");
  const study = useQuery(studyQuery(id));
  const bench = useDecision(id, place);
  const { decision } = bench;
  useTitle(`Decide: ${study.data?.question ?? ""}`);
  if (study.error && !study.data)
    return <Failed what="study" error={study.error} retry={() => void study.refetch()} />;
  if (decision.error && !decision.data)
    return (
      <Failed
        what="decision"
        error={decision.error}
        retry={() => {
          setPlace("");
          void decision.refetch();
        }}
      />
    );
  if (!study.data || !decision.data) return <Loading what="decision" />;
  const { data } = decision;
  const use = data.uses.find((each) => each.name === named) ?? data.uses[0];
  const production = bench.production.error;
  return (
    <div className="px-6 py-5">
      <p className="flex gap-5 text-soft">
        <Link to={`/studies/${id}`} className="quiet-link">
          {study.data.question}
        </Link>
        <a href={`/api/studies/${id}/report/`} className="quiet-link ml-auto">
          Report
        </a>
      </p>
      <h1 className="mt-0.5 max-w-[60rem] text-xl font-semibold leading-snug">{data.sentence}</h1>
      <div className="flex items-start justify-between gap-4">
        <Uses decision={data} chosen={use?.name ?? ""} onChoose={setNamed} onAdd={bench.add.mutate} />
        {data.places.length > 1 ? (
          <div className="mt-4 shrink-0 text-sm">
            <Choice
              label="Held at"
              value={place}
              choices={[["", "the worst of all places"], ...data.places.map((name) => [name, name] as const)]}
              onChoose={setPlace}
            />
          </div>
        ) : null}
      </div>
      {bench.add.error ? <Wrong error={bench.add.error} /> : null}
      {bench.removal.notice}
      {use ? (
        <section aria-label={use.title} className="border-line border-t pt-4" data-use={use.name}>
          <div className="grid grid-cols-[20.5rem_minmax(0,1fr)_15rem] gap-6">
            <div>
              <Limits
                decision={data}
                use={use}
                onChange={(change) => bench.change.mutate({ use: use.name, change })}
                problem={isStale(bench.change.error) ? undefined : bench.change.error?.message}
              />
              <ChangedMeanwhile
                error={bench.change.error}
                what="this use"
                theirs={bench.change.reset}
                mine={() =>
                  bench.change.variables && bench.change.mutate({ ...bench.change.variables, anyway: true })
                }
              />
              {use.by_hand ? (
                <ByHand
                  key={use.name}
                  use={use}
                  onReasons={(reasons) => bench.change.mutate({ use: use.name, change: { reasons } })}
                />
              ) : null}
              <p className="mt-3 font-semibold text-sm">{use.words}</p>
              {use.but.length ? <p className="mt-1 text-sm">But {use.but.join("; ")}.</p> : null}
              <p className="mt-1 text-sm">{firmness(data, use)}</p>
            </div>
            <div>
              <FrontierChart
                key={use.name}
                decision={data}
                use={use}
                onLimit={(name, value) =>
                  bench.change.mutate({ use: use.name, change: { limit: { name, value } } })
                }
              />
              <Key decision={data} use={use} />
            </div>
            <ChosenPictures study={id} decision={data} use={use} />
          </div>
          <h2 className="mt-5 mb-1 font-semibold">Options for {use.title.toLowerCase()}</h2>
          <OptionsTable
            decision={data}
            use={use}
            onChoose={(by_hand) => bench.change.mutate({ use: use.name, change: { by_hand } })}
          />
          <Failures use={use} name={nameOf(data, use.chosen)} />
          <button type="button" className="act mt-3" onClick={() => bench.removal.take(use)}>
            Take the use {use.title.toLowerCase()} away
          </button>
        </section>
      ) : null}
      <h2 className="mt-8 mb-2 border-line border-t pt-4 font-semibold">Forecast</h2>
      <div className="grid grid-cols-[21rem_minmax(0,1fr)] gap-8">
        <ProductionForm
          production={data.production}
          onChange={bench.production.mutate}
          problems={production instanceof Problem ? production.fields : {}}
          problem={production?.message}
        />
        <div>
          <ForecastTable decision={data} />
          <p className="mt-1 text-soft text-xs">
            Rendering grows with the pixels, getting ready does not. Frames are spread evenly over the places.
            The interval is that of the times alone: what is assumed of the production is taken as said.
          </p>
        </div>
      </div>
      <h2 className="mt-8 mb-2 border-line border-t pt-4 font-semibold">Recipe</h2>
      <SaveRecipe study={id} can={data.uses.some((each) => each.chosen)} />
    </div>
  );
}

/** The uses side by side, each with what is chosen for it. */
function Uses(props: {
  decision: Decision;
  chosen: string;
  onChoose: (name: string) => void;
  onAdd: (title: string) => void;
}) {
  const [title, setTitle] = useState("");
  return (
    <div className="mt-4 flex flex-wrap items-stretch gap-2 pb-4">
      {props.decision.uses.map((use) => (
        <button
          key={use.name}
          type="button"
          className="act !whitespace-normal max-w-64 py-1.5 text-left"
          aria-pressed={use.name === props.chosen}
          onClick={() => props.onChoose(use.name)}
        >
          <span className="block font-semibold">{use.title}</span>
          <span className="block text-sm">
            {use.chosen ? nameOf(props.decision, use.chosen) : "none keeps the limits"}
            {use.chosen && !use.firm ? ", not firm" : ""}
          </span>
        </button>
      ))}
      <form
        className="flex items-center gap-1.5"
        onSubmit={(event) => {
          event.preventDefault();
          if (title.trim()) props.onAdd(title.trim());
          setTitle("");
        }}
      >
        <input
          className="field w-40"
          aria-label="A use of your own"
          placeholder="a use of your own"
          maxLength={60}
          value={title}
          onChange={(event) => setTitle(event.target.value)}
        />
        <button type="submit" className="act" disabled={!title.trim()}>
          Add
        </button>
      </form>
    </div>
  );
}

function Key({ decision, use }: { decision: Decision; use: Use }) {
  const knee = nameOf(decision, use.knee);
  const last = use.frontier[use.frontier.length - 1];
  return (
    <p className="text-soft text-sm">
      Diamonds: nothing is both faster and {use.ranked_by === "noise" ? "cleaner" : "nearer to the reference"}
      . Discs are beaten, crosses break a limit, the square is the control; what is chosen is filled. Drag a
      ring to move its limit.{" "}
      {knee
        ? use.knee === last
          ? `Up to ${knee} more time still pays.`
          : `Past ${knee} more time stops paying.`
        : ""}
    </p>
  );
}

function Failures({ use, name }: { use: Use; name: string }) {
  if (!use.chosen) return null;
  return (
    <div className="mt-4" data-part="failures">
      <h2 className="mb-1 font-semibold">Where it fails</h2>
      {use.failures.length === 0 ? (
        <p className="text-sm">
          Nowhere, as far as can be told: {name} shifts no look beyond its limits and breaks none in a zone.
        </p>
      ) : (
        <ul className="list-disc pl-5 text-sm">
          {use.failures.map((row) => (
            <li key={`${row.place} ${row.zone} ${row.how}`}>
              <Link
                to={`/pairs/${row.pair}${row.zone === "whole" ? "" : `?zone=${encodeURIComponent(row.zone)}`}`}
                className="quiet-link"
              >
                {row.place}
                {row.zone === "whole" ? "" : `, ${row.zone}`}
              </Link>
              : {row.words}.
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}

function ByHand({ use, onReasons }: { use: Use; onReasons: (reasons: string) => void }) {
  const [text, setText] = useState(use.reasons);
  return (
    <label className="mt-3 block text-sm">
      <span className="text-soft">Chosen by hand, because</span>
      <textarea
        className="field w-full"
        rows={2}
        value={text}
        onChange={(event) => setText(event.target.value)}
        onBlur={() => (text === use.reasons ? null : onReasons(text))}
      />
    </label>
  );
}

function Wrong({ error }: { error: Error }) {
  return (
    <Notice kind="fault">
      <p>{error.message}</p>
    </Notice>
  );
}
