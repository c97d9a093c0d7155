import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, useParams } from "react-router";
import type { Schema } from "../../api/client";
import { answerQuery, progressQuery, queueQuery, studyQuery } from "../../api/queries";
import { lookedAt } from "../../parts/lastStudy";
import { MatchSheet } from "../../parts/MatchSheet";
import { Failed, Loading } from "../../parts/Notice";
import { useTitle } from "../../parts/useTitle";
import { VerdictList } from "../pair/Verdicts";
import { AnswerHead } from "./AnswerHead";
import { Disk } from "./Disk";
import { OptionsTable } from "./OptionsTable";
import { PairsTable } from "./PairsTable";
import { ProofStrip } from "./ProofStrip";
import { RunDialog } from "./RunDialog";
import { RunTable } from "./RunTable";
import { StudyControls } from "./StudyControls";
import { sawStudy } from "./seen";
import { soFarWords } from "./soFar";
import { UnderWay } from "./UnderWay";

/** A study: what it says so far, its renders live, its pairs and its verdicts. */
export function StudyPage() {
  const id = Number(useParams().id);
  const study = useQuery(studyQuery(id));
  const progress = useQuery(progressQuery(id));
  const says = useQuery(answerQuery(id));
  const [shown, setShown] = useState<number | null>(null);
  useTitle(study.data?.question ?? "Study");
  useFresh(id, progress.data?.stamp);
  const stamp = progress.data?.stamp;
  useEffect(() => {
    if (stamp !== undefined) sawStudy(id);
  }, [id, stamp]);
  const known = study.data;
  useEffect(() => {
    if (known) lookedAt(known.removed_at ? null : { id: known.id, question: known.question });
  }, [known]);
  const error = study.data ? null : (study.error ?? progress.error ?? says.error);
  if (error) return <Failed what="study" error={error} retry={() => void study.refetch()} />;
  if (!study.data || !progress.data || !says.data) return <Loading what="study" />;
  const ready = says.data.pairs.filter((pair) => pair.ready);
  const [only] = says.data.pairs;
  return (
    <div className="flex min-h-full flex-col">
      <div className="px-6 pt-6 pb-4">
        <p className="text-soft">{study.data.question}</p>
        <AnswerHead
          study={study.data}
          answer={says.data.answer}
          soFar={soFarWords(progress.data, says.data.pairs)}
        />
        <Queue progress={progress.data} />
        <ProofStrip study={id} answer={says.data.answer} options={says.data.options} />
        <p className="mt-1.5 text-soft text-sm">{setupWords(study.data)}</p>
        <div className="mt-4 flex flex-wrap items-center gap-3">
          {says.data.pairs.length === 1 && only && ready.length === 1 ? (
            <Link to={`/pairs/${only.pair}`} className="act flex items-center" data-kind="main">
              Look at the pair
            </Link>
          ) : null}
          <Link to={`/studies/${id}/measures`} className="act flex items-center">
            Measures
          </Link>
          <Link to={`/studies/${id}/curves`} className="act flex items-center">
            Curves
          </Link>
          {study.data.factors.includes("frame") ? (
            <Link to={`/studies/${id}/motion`} className="act flex items-center">
              Motion
            </Link>
          ) : null}
          <Link to={`/studies/${id}/decide`} className="act flex items-center">
            Decide
          </Link>
          <Link to={`/studies/${id}/contact-sheet`} className="act flex items-center">
            Contact sheet
          </Link>
          <StudyControls study={study.data} progress={progress.data} />
        </div>
      </div>
      <div className="grid grow border-line border-t min-[1240px]:grid-cols-[minmax(0,1fr)_23rem]">
        <div className="min-w-0 px-6 py-4">
          {says.data.options.length > 1 && says.data.options.some((each) => each.seconds || each.noise) ? (
            <>
              <h2 className="mb-1 font-semibold">Options</h2>
              <OptionsTable options={says.data.options} choice={says.data.answer.choice} />
            </>
          ) : null}
          {says.data.pairs.length > 1 ? (
            <>
              <h2 className="mt-6 mb-1 font-semibold">Pairs</h2>
              <PairsTable pairs={says.data.pairs} />
            </>
          ) : null}
          <h2 className="mt-6 mb-1 font-semibold">Renders</h2>
          <RunTable study={study.data} stamp={stampOf(progress.data)} onShow={setShown} />
          <h2 className="mt-8 mb-1 font-semibold">Verdicts</h2>
          <VerdictList verdicts={says.data.verdicts} pair={study.data.pair} />
          <Disk study={study.data} disk={says.data.disk} />
        </div>
        <aside
          aria-label="Match sheet"
          className="border-line bg-wash/60 px-6 py-4 max-[1239px]:border-t min-[1240px]:border-l min-[1240px]:px-5"
        >
          <h2 className="mb-2 font-semibold">Match sheet</h2>
          {says.data.match_sheet ? (
            <MatchSheet sheet={says.data.match_sheet} />
          ) : (
            <p>No pair in this study.</p>
          )}
        </aside>
      </div>
      {shown === null ? null : <RunDialog id={shown} onClose={() => setShown(null)} />}
    </div>
  );
}

/** What is under way of this study, or why the queue stands still. */
function Queue({ progress }: { progress: Schema["Progress"] }) {
  const queue = useQuery({
    ...queueQuery,
    enabled: progress.state === "running" || progress.besides_open > 0,
  });
  return <UnderWay progress={progress} queue={queue.data} />;
}

function setupWords(study: Schema["Study"]): string {
  const variant = study.variant === "as-is" ? "" : `, variant ${study.variant}`;
  const made = study.from_elsewhere ? "made elsewhere with" : "rendered with";
  const options = study.options.filter((option) => option.in_plan && option.purpose === "counted");
  const many = options.length > 2 ? `, ${options.length} options` : "";
  const seeds = study.from_elsewhere ? "" : `, ${study.repeats} seeds each`; // there each has its own
  return `${study.scene}, view ${study.view}${variant}, ${study.size}, ${made} ${study.engine}${many}${seeds}.`;
}

/** Changes with every run that ends, begins or is queued. */
function stampOf(progress: Schema["Progress"]): string {
  const running = progress.running.map((run) => `${run.id}${run.stop_asked}`).join();
  return `${progress.stamp} ${JSON.stringify(progress.counts)} ${running}`;
}

/** What a study says changes when a render ends, so it is asked for then. */
function useFresh(id: number, stamp: string | undefined) {
  const queries = useQueryClient();
  const last = useRef(stamp);
  useEffect(() => {
    const before = last.current;
    last.current = stamp;
    if (stamp === before || before === undefined) return; // the first comes with what the study says
    for (const key of ["answer", "study"]) void queries.invalidateQueries({ queryKey: [key, id] });
  }, [queries, id, stamp]);
}
