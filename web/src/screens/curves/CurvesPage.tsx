import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { api, body, type Schema } from "../../api/client";
import { askAgain } from "../../api/events";
import { curvesQuery, decisionQuery, matchingsQuery, studyQuery } from "../../api/queries";
import type { ChartLine, ChartLink } from "../../charts/chartLines";
import { LogChart } from "../../charts/LogChart";
import { MarkKey } from "../../charts/marks";
import { Choice } from "../../parts/Choice";
import { optionTitle, three } from "../../parts/format";
import { Failed, Loading, Notice } from "../../parts/Notice";
import { useRemembered } from "../../parts/remembered";
import { useTitle } from "../../parts/useTitle";
import { EffectsOfSettings } from "./EffectsOfSettings";
import { Matchings } from "./Matchings";
import { SameTable } from "./SameTable";
import { marksOf, readAt, readingWords, seriesOf } from "./series";

type Curves = Schema["Curves"];

/** Noise against time: each option's ladder, what the same noise costs, and pairs matched on noise or time. */
export function CurvesPage() {
  const id = Number(useParams().id);
  const [zone, setZone] = useRemembered(`curves.zone.${id}`, "whole");
  const [of, setOf] = useRemembered<"noise" | "error">(`curves.of.${id}`, "noise");
  const [chosen, setPlace] = useRemembered(`curves.place.${id}`, "");
  const study = useQuery(studyQuery(id));
  const curves = useQuery(curvesQuery(id, zone, of));
  const matchings = useQuery(matchingsQuery(id));
  const decision = useQuery(decisionQuery(id, ""));
  const queries = useQueryClient();
  const match = useMutation({
    mutationFn: (asked: Schema["NewMatchingRequest"]) =>
      body(api.POST("/api/studies/{id}/matchings/", { params: { path: { id } }, body: asked })),
    onSuccess: () => void askAgain(queries, "runs", "measured"),
  });
  useTitle(`Curves: ${study.data?.question ?? ""}`);
  if (study.error && !study.data)
    return <Failed what="study" error={study.error} retry={() => void study.refetch()} />;
  if (curves.error && !curves.data)
    return (
      <Failed
        what="curves"
        error={curves.error}
        retry={() => {
          setZone("whole");
          void curves.refetch();
        }}
      />
    );
  if (!study.data || !curves.data) return <Loading what="curves" />;
  const { data } = curves;
  const place = data.places.includes(chosen) ? chosen : (data.places[0] ?? "");
  return (
    <div className="px-6 py-5">
      <p className="text-soft">
        <Link to={`/studies/${id}`} className="quiet-link">
          {study.data.question}
        </Link>
      </p>
      <h1 className="mt-0.5 max-w-[60rem] text-xl font-semibold leading-snug">{data.sentence}</h1>
      <div className="mt-2 mb-3 flex flex-wrap items-baseline gap-x-5 gap-y-1 text-sm">
        <Choice
          label="Curve of"
          value={of}
          choices={[
            ["noise", "Noise"],
            ["error", "Error against the reference"],
          ]}
          onChoose={(value) => setOf(value === "error" ? "error" : "noise")}
        />
        <Choice
          label="Zone"
          value={zone}
          choices={data.zones.map((name) => [name, name === "whole" ? "Whole picture" : name])}
          onChoose={setZone}
        />
        {data.places.length > 1 ? (
          <Choice
            label="Place"
            value={place}
            choices={data.places.map((name) => [name, name])}
            onChoose={setPlace}
          />
        ) : null}
        <p className="text-soft">
          {data.basis === "cpu" ? "Times in CPU seconds: the machine was busy. " : ""}
          {data.note}
        </p>
      </div>
      <Ladders
        curves={data}
        place={place}
        limits={zone === "whole" ? limitsOf(decision.data, of) : []}
        links={linksOf(matchings.data ?? [], zone)}
      />
      <section aria-label="Matched pairs" className="mt-8">
        <h2 className="mb-1 font-semibold">
          Against the control at the same {of === "noise" ? "noise" : "error"}, and in the same time
        </h2>
        {data.same.length === 0 ? (
          <p className="text-soft">
            This plan varies the quality knob alone: there is no other option to compare with the control.
          </p>
        ) : (
          <SameTable
            rows={data.same}
            what={of}
            busy={match.isPending}
            match={(cell, on, knob) => {
              if (cell.control_option == null || cell.trial_option == null) return;
              match.mutate({ control: cell.control_option, trial: cell.trial_option, on, zone, knob });
            }}
          />
        )}
        {match.error ? (
          <Notice kind="fault">
            <p>{match.error.message}</p>
          </Notice>
        ) : null}
        {matchings.data && matchings.data.length > 0 ? (
          <div className="mt-4">
            <Matchings rows={matchings.data} />
          </div>
        ) : null}
      </section>
      <EffectsOfSettings study={id} zone={zone} />
    </div>
  );
}

/** The limits of the uses on what is drawn, each level once. */
function limitsOf(decision: Schema["Decision"] | undefined, of: string): ChartLine[] {
  const uses = of === "noise" ? (decision?.uses ?? []) : [];
  const levels = new Map<number, string[]>();
  for (const use of uses) {
    const limit = use.limits.noise;
    if (limit !== undefined) levels.set(limit, [...(levels.get(limit) ?? []), use.title.toLowerCase()]);
  }
  return [...levels].map(([value, names]) => ({
    key: `limit ${value}`,
    axis: "y",
    value,
    label: "",
    words: `${names.join(", ")}: at most ${three(value)} %`,
    tone: "limit",
  }));
}

/** Pairs that a search has matched, as links between their points. */
function linksOf(matchings: Schema["Matching"][], zone: string): ChartLink[] {
  return matchings.flatMap((row) => {
    const last = [...row.steps].reverse().find((step) => step.figure != null);
    if (row.pair == null || row.zone !== zone || !last) return [];
    return [
      {
        key: `${row.id}`,
        from: `${row.control}`,
        to: `${last.option}`,
        words: `Matched on ${row.on}: ${row.words}`,
        href: `/pairs/${row.pair}`,
      },
    ];
  });
}

/** The chart of one place, and what each curve says beside it. */
function Ladders({
  curves,
  place,
  limits,
  links,
}: {
  curves: Curves;
  place: string;
  limits: ChartLine[];
  links: ChartLink[];
}) {
  const [asked, setAsked] = useState<number | null>(null);
  const here = curves.curves.filter((row) => row.place === place);
  const marks = marksOf(curves.curves);
  const what = curves.of;
  const series = seriesOf(here, marks, what);
  const refused = [...new Set(here.map((row) => row.refused))];
  const lacking = here.flatMap((row) => row.points.filter((point) => point.lacks));
  if (here.length === 0)
    return (
      <Notice kind="plain">
        <p>Nothing is planned here yet.</p>
      </Notice>
    );
  const base = series.flatMap((row) => row.points).find((point) => point.hollow)?.y ?? null;
  const level = asked ?? base;
  const readable = here.some((row) => row.fit);
  const target: ChartLine[] =
    readable && level !== null
      ? [
          {
            key: "target",
            axis: "y",
            value: level,
            label: `Read the curves at this ${what}`,
            words: `${three(level)} %`,
            tone: "target",
            onMove: setAsked,
            told: (value) => `${three(value)} %`,
          },
        ]
      : [];
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_22rem] gap-6">
      {series.some((row) => row.points.length > 0) ? (
        <LogChart
          label={`${what} against time at ${place}`}
          xTitle={`seconds a render${curves.basis === "cpu" ? ", CPU" : ""}, getting ready with it`}
          yTitle={what === "noise" ? "noise, %" : "error against the reference, %"}
          series={series}
          lines={[...limits, ...target]}
          links={links}
        />
      ) : (
        <Notice kind="plain">
          <p>No point yet: {lacking[0]?.lacks ?? "nothing is rendered"}.</p>
        </Notice>
      )}
      <div className="text-sm" data-part="words">
        {here.map((row) => {
          const mark = marks.get(row.title);
          return (
            <div key={row.key} className="mb-3">
              <h2 className="flex items-center gap-1.5 font-semibold text-base">
                {mark ? <MarkKey mark={mark} /> : null}
                {optionTitle(row.title)}
              </h2>
              {row.fit && level !== null ? (
                <p data-part="reading">
                  <span className="font-semibold">At {three(level)} %:</span>{" "}
                  {readingWords(readAt(row.fit, level), row.knob)}
                </p>
              ) : null}
              {row.words.map((words) => (
                <p key={words}>{words}</p>
              ))}
              {row.refused && refused.length > 1 ? (
                <p className="text-soft">No curve: {row.refused}.</p>
              ) : null}
            </div>
          );
        })}
        {refused.length === 1 && refused[0] ? <p className="text-soft">No curves: {refused[0]}.</p> : null}
        {curves.crossings
          .filter((words) => curves.places.length < 2 || words.startsWith(`${place}: `))
          .map((words) => (
            <p key={words} className="mb-1">
              {words.replace(`${place}: `, "")}
            </p>
          ))}
        {lacking.length > 0 ? (
          <p className="text-soft">
            {lacking.length} {lacking.length === 1 ? "option is" : "options are"} not on a curve:{" "}
            {[...new Set(lacking.map((point) => point.lacks))].join("; ")}.
          </p>
        ) : null}
      </div>
    </div>
  );
}
