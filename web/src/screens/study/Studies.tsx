import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { overviewQuery } from "../../api/queries";
import { Failed, Loading } from "../../parts/Notice";
import { remember, remembered, useRemembered } from "../../parts/remembered";
import { useTitle } from "../../parts/useTitle";
import { FirstSteps } from "./FirstSteps";
import { ALL, byScene, found, headline, needs, type Sort, type Wanted } from "./found";
import { Needs } from "./Needs";
import { StudyFilters } from "./StudyFilters";
import { StudyList } from "./StudyList";
import { SEEN } from "./seen";
import { TakeIn } from "./TakeIn";
import { Tour } from "./Tour";

/** All studies: first what asks for somebody now, then all, each with its answer and the pictures that show it. */
export function Studies() {
  const [archived, setArchived] = useState(false);
  const { data, error, refetch } = useQuery(overviewQuery(archived));
  const [asked, setAsked] = useSearchParams();
  const [sort, setSort] = useRemembered<Sort>("studies.sort", "newest");
  const [grouped, setGrouped] = useRemembered("studies.grouped", false);
  const [since] = useState(firstSeen);
  const [seen] = useRemembered<Record<string, string>>(SEEN, {});
  useTitle("Studies");
  if (error && !data) return <Failed what="list of studies" error={error} retry={() => void refetch()} />;
  if (!data) return <Loading what="studies" />;
  const wanted = Object.fromEntries(Object.keys(ALL).map((name) => [name, asked.get(name) ?? ""])) as Wanted;
  const change = (next: Wanted) =>
    setAsked(
      Object.entries(next).filter(([, value]) => value !== ""),
      { replace: true },
    );
  const rows = found(data.studies, wanted, sort);
  const narrowed = Object.values(wanted).some(Boolean);
  return (
    <div className="mx-auto max-w-[76rem] px-6 py-6">
      <div className="flex items-baseline justify-between gap-6">
        <h1 className="text-xl font-semibold">{headline(data.studies)}</h1>
        <span className="flex flex-wrap items-center justify-end gap-4">
          <TakeIn />
          <Link to="/studies/new" className="act flex items-center" data-kind="main">
            New study
          </Link>
        </span>
      </div>
      {data.studies.length === 0 && data.archived === 0 ? <FirstSteps /> : null}
      {narrowed ? null : <Tour rows={data.studies} />}
      {narrowed ? null : <Needs needs={needs(data.studies, seen, since)} />}
      {data.studies.length > 1 || data.archived > 0 ? (
        <StudyFilters
          rows={data.studies}
          wanted={wanted}
          onWanted={change}
          sort={sort}
          onSort={setSort}
          grouped={grouped}
          onGrouped={setGrouped}
          archived={archived}
          archivedCount={data.archived}
          onArchived={setArchived}
        />
      ) : null}
      {narrowed ? (
        <p className="mt-3" role="status">
          {rows.length === 0 ? "No study fits. " : `${rows.length} of ${data.studies.length} studies. `}
          <button type="button" className="quiet-link" onClick={() => change(ALL)}>
            Show all
          </button>
        </p>
      ) : null}
      {grouped ? (
        byScene(rows).map(([scene, own]) => (
          <section key={scene} aria-label={scene}>
            <h2 className="mt-6 font-semibold text-soft">
              {scene}, {own.length} {own.length === 1 ? "study" : "studies"}
            </h2>
            <StudyList rows={own} withDisk={sort === "disk"} />
          </section>
        ))
      ) : (
        <StudyList rows={rows} withDisk={sort === "disk"} />
      )}
    </div>
  );
}

/** When this browser first saw the list: what ended before is not news. */
function firstSeen(): string {
  const kept = remembered("studies.since", "");
  if (kept) return kept;
  const now = new Date().toISOString();
  remember("studies.since", now);
  return now;
}
