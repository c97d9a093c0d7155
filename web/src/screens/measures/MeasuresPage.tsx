import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { answerQuery, measuresQuery, studyQuery } from "../../api/queries";
import { Failed, Loading, Notice } from "../../parts/Notice";
import { useRemembered } from "../../parts/remembered";
import { useTitle } from "../../parts/useTitle";
import { MeasureScatter } from "./MeasureScatter";
import { MeasureTable } from "./MeasureTable";
import { sentenceOf } from "./standing";

/** All measures of a study: options by zones, with what is best marked only where it is. */
export function MeasuresPage() {
  const id = Number(useParams().id);
  const [zone, setZone] = useRemembered(`measures.zone.${id}`, "all");
  const [drawn, setDrawn] = useRemembered("measures.drawn", false);
  const study = useQuery(studyQuery(id));
  const table = useQuery(measuresQuery(id, zone));
  const options = useQuery(answerQuery(id)).data?.options ?? [];
  useTitle(`Measures: ${study.data?.question ?? ""}`);
  if (study.error && !study.data)
    return <Failed what="study" error={study.error} retry={() => void study.refetch()} />;
  if (table.error && !table.data)
    return (
      <Failed
        what="measures"
        error={table.error}
        retry={() => {
          setZone("whole");
          void table.refetch();
        }}
      />
    );
  if (!study.data || !table.data) return <Loading what="measures" />;
  const { kinds, zones, reference } = table.data;
  const named = new Map(options.map((option) => [option.id, option]));
  // as the study calls it: what changes at this place, without the place, which has a line of its own
  const rows = table.data.rows.map((row) => ({ ...row, title: named.get(row.option)?.name ?? row.title }));
  return (
    <div className="flex min-h-full flex-col px-6 py-5">
      <p className="text-soft">
        <Link to={`/studies/${id}`} className="quiet-link">
          {study.data.question}
        </Link>
      </p>
      <h1 className="mt-0.5 max-w-[60rem] text-xl font-semibold leading-snug">
        {sentenceOf({ ...table.data, rows })}
      </h1>
      <div className="mt-2 mb-3 flex flex-wrap items-baseline gap-x-5 gap-y-1 text-sm">
        <label className="flex items-center gap-1.5">
          Zone
          <select className="field" value={zone} onChange={(event) => setZone(event.target.value)}>
            {zones.map((name) => (
              <option key={name} value={name}>
                {name === "whole" ? "Whole picture" : name}
              </option>
            ))}
            {zones.length > 1 ? <option value="all">All zones</option> : null}
          </select>
        </label>
        <fieldset className="flex gap-1">
          <legend className="sr-only">Shown as</legend>
          {[false, true].map((chart) => (
            <button
              key={String(chart)}
              type="button"
              className="act !min-h-8 py-0"
              aria-pressed={drawn === chart}
              onClick={() => setDrawn(chart)}
            >
              {chart ? "Chart" : "Table"}
            </button>
          ))}
        </fieldset>
        <p className="text-soft">
          {reference
            ? `Judged by ${reference}.`
            : "No reference of this setup: what needs one is left out. Make one from a pair's long side, or add a file at the scene."}
        </p>
      </div>
      {rows.length === 0 ? (
        <Notice kind="plain">
          <p>No option of this plan is rendered on a view with this zone.</p>
        </Notice>
      ) : drawn ? (
        <MeasureScatter
          seconds={new Map(options.map((option) => [option.id, option.seconds]))}
          kinds={kinds.filter((kind) => reference !== "" || !kind.by_reference)}
          rows={rows}
        />
      ) : (
        <MeasureTable kinds={kinds} rows={rows} zoned={zone === "all"} judged={reference !== ""} />
      )}
    </div>
  );
}
