import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import type { Schema } from "../../api/client";
import { overviewQuery } from "../../api/queries";
import { bytes, day } from "../../parts/format";
import { MatchRail } from "../../parts/MatchRail";
import { Failed, Loading } from "../../parts/Notice";
import { SideName } from "../../parts/Side";
import { useTitle } from "../../parts/useTitle";
import { TakeIn } from "./TakeIn";

type Row = Schema["OverviewRow"];

/** All studies, newest first, each with what it says so far. */
export function Studies() {
  const [archived, setArchived] = useState(false);
  const { data, error, refetch } = useQuery(overviewQuery(archived));
  useTitle("Studies");
  if (error && !data) return <Failed what="list of studies" error={error} retry={() => void refetch()} />;
  if (!data) return <Loading what="studies" />;
  return (
    <div className="mx-auto max-w-[76rem] px-6 py-6">
      <div className="flex items-baseline justify-between gap-6">
        <h1 className="text-xl font-semibold">{sentence(data.studies)}</h1>
        <span className="flex items-center gap-4">
          {data.archived > 0 ? (
            <label className="flex items-center gap-1.5 text-sm">
              <input
                type="checkbox"
                checked={archived}
                onChange={(event) => setArchived(event.target.checked)}
              />
              {data.archived} archived
            </label>
          ) : null}
          <TakeIn />
          <Link to="/studies/new" className="act flex items-center" data-kind="main">
            New study
          </Link>
        </span>
      </div>
      {data.studies.length === 0 ? <Empty /> : <List rows={data.studies} />}
    </div>
  );
}

function sentence(rows: Row[]): string {
  if (rows.length === 0) return "No study yet: ask a question and change one thing.";
  const open = rows.filter((row) => row.sure !== "sure").length;
  const studies = `${rows.length} ${rows.length === 1 ? "study" : "studies"}`;
  return open === 0 ? `${studies}, each with an answer.` : `${studies}, ${open} without a sure answer yet.`;
}

function Empty() {
  return (
    <p className="mt-6 max-w-prose">
      A study renders the same setup twice, alike in all but one thing, and says what that gains and costs.
      Start with a small size: the first answer comes within a minute.
    </p>
  );
}

function List({ rows }: { rows: Row[] }) {
  return (
    <ul className="mt-5 border-[#8b8e8c] border-t">
      {rows.map((row) => (
        <li
          key={row.id}
          className="grid grid-cols-[132px_1fr_auto] items-start gap-5 border-line border-b py-4"
          data-study={row.id}
        >
          <Thumbnail row={row} />
          <div className="min-w-0">
            <h2 className="text-lg font-semibold leading-snug">
              <Link to={`/studies/${row.id}`} className="quiet-link">
                {row.question}
              </Link>
            </h2>
            <p className="mt-0.5">{row.sentence}</p>
            <p className="mt-1.5 flex items-center gap-4 text-sm text-soft">
              {row.match_sheet ? <MatchRail sheet={row.match_sheet} /> : null}
              <span>{row.scene}</span>
              <span>{day(row.created_at)}</span>
              {row.options > 2 ? <span>{row.options} options</span> : null}
              {row.disk_bytes > 0 ? <span>{bytes(row.disk_bytes)}</span> : null}
              {row.archived ? <span>archived</span> : null}
            </p>
          </div>
          <div className="w-44 text-right">
            <State row={row} />
            {row.runs_done > 1 && row.options === 2 ? (
              <Link to={`/pairs/${row.pair}`} className="act mt-2 inline-flex items-center">
                Look at the pair
              </Link>
            ) : null}
          </div>
        </li>
      ))}
    </ul>
  );
}

function Thumbnail({ row }: { row: Row }) {
  if (!row.thumbnail) {
    return (
      <div className="flex h-[74px] items-center justify-center bg-wash text-soft text-sm">
        No picture yet
      </div>
    );
  }
  return (
    <img
      src={`/api/pictures/${row.thumbnail}/thumbnail/`}
      alt={`Render of ${row.scene}`}
      className="h-auto w-[132px]"
      loading="lazy"
    />
  );
}

function State({ row }: { row: Row }) {
  const [chosen] = row.chosen;
  if (chosen === "control" || chosen === "trial") {
    return (
      <p>
        Verdict: <SideName side={chosen} />
      </p>
    );
  }
  if (chosen === "neither") return <p>Verdict: neither</p>;
  const done = `${row.runs_done} of ${row.runs_planned} renders`;
  const words = {
    planned: "Not run yet",
    running: `Running, ${done}`,
    partly: `Partly done, ${done}`,
    done: "",
  }[row.state];
  return <p className={row.state === "partly" ? "text-fault" : ""}>{words}</p>;
}
