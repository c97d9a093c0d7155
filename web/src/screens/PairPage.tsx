import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import type { Schema } from "../api/client";
import { pairQuery, sessionQuery } from "../api/queries";
import { MatchSheet } from "../parts/MatchSheet";
import { Failed, Loading, Notice } from "../parts/Notice";
import { PairViewer } from "../viewer/PairViewer";
import { usePictures } from "../viewer/usePictures";
import { PairFigures } from "./PairFigures";
import { VerdictForm, VerdictList } from "./Verdicts";

/** The pair: pictures at two thirds of the window, figures, match sheet and verdict beside them. */
export function PairPage() {
  const id = Number(useParams().id);
  const pair = useQuery(pairQuery(id));
  const session = useQuery(sessionQuery);
  if (pair.error && !pair.data)
    return <Failed what="pair" error={pair.error} retry={() => void pair.refetch()} />;
  if (!pair.data || !session.data) return <Loading what="pair" />;
  const { data } = pair;
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_25.5rem] grid-rows-[auto_minmax(0,1fr)]">
      <div className="col-span-2 flex items-baseline gap-5 border-line border-b px-5 py-2">
        <h1 className="font-semibold">{data.sentence}</h1>
        <Link to={`/studies/${data.study.id}`} className="quiet-link ml-auto whitespace-nowrap">
          Back to the study
        </Link>
      </div>
      <Pictures pair={data} />
      <aside
        aria-label="Figures, match sheet and verdict"
        className="overflow-auto border-line border-l px-5 py-4"
      >
        <PairFigures pair={data} />
        <h2 className="mt-5 mb-1 font-semibold">Verdict</h2>
        <VerdictList verdicts={data.verdicts} pair={data.id} />
        <div className="mt-2">
          <VerdictForm pair={data.id} usualName={session.data.name} />
        </div>
        <h2 className="mt-5 mb-1 font-semibold">Match sheet</h2>
        <MatchSheet sheet={data.match_sheet} />
        <h2 className="mt-5 mb-1 font-semibold">Export</h2>
        <ul className="flex gap-4">
          {(["zip", "json", "csv"] as const).map((kind) => (
            <li key={kind}>
              <a className="quiet-link" href={`/api/pairs/${data.id}/export.${kind}`} download>
                {{ zip: "All with EXR pictures (zip)", json: "JSON", csv: "CSV" }[kind]}
              </a>
            </li>
          ))}
        </ul>
      </aside>
    </div>
  );
}

function Pictures({ pair }: { pair: Schema["Pair"] }) {
  const seeds = pair.control.runs
    .map((run) => run.seed)
    .filter((seed) => pair.trial.runs.some((run) => run.seed === seed));
  const [chosen, setChosen] = useState<number | null>(null);
  const seed = chosen !== null && seeds.includes(chosen) ? chosen : seeds[0];
  const control = pair.control.runs.find((run) => run.seed === seed);
  const trial = pair.trial.runs.find((run) => run.seed === seed);
  if (!control || !trial) {
    return (
      <div className="p-6">
        <Notice kind="plain">
          <p>No seed is finished on both sides yet, so there is nothing to look at.</p>
        </Notice>
      </div>
    );
  }
  return (
    <Loaded control={control.picture} trial={trial.picture}>
      {seeds.length > 1 ? (
        <label className="flex items-center gap-1.5">
          Seed
          <select
            className="border border-[#8b8e8c] bg-white"
            value={seed}
            onChange={(event) => setChosen(Number(event.target.value))}
          >
            {seeds.map((each) => (
              <option key={each}>{each}</option>
            ))}
          </select>
        </label>
      ) : null}
    </Loaded>
  );
}

function Loaded({ control, trial, children }: { control: string; trial: string; children: React.ReactNode }) {
  const pictures = usePictures(control, trial);
  if (pictures.state === "loading") return <Loading what="pictures" />;
  if (pictures.state === "failed") {
    return (
      <div className="p-6">
        <Notice kind="fault">
          <p>
            The {pictures.side}'s picture cannot be shown: {pictures.error.message}
          </p>
        </Notice>
      </div>
    );
  }
  return (
    <PairViewer control={pictures.control} trial={pictures.trial}>
      {children}
    </PairViewer>
  );
}
