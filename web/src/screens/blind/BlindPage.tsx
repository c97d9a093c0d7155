import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { Link, useParams } from "react-router";
import { api, body, type Schema } from "../../api/client";
import { blindTestQuery } from "../../api/queries";
import { fixed } from "../../parts/format";
import { Failed, Loading, Notice } from "../../parts/Notice";
import { useTitle } from "../../parts/useTitle";
import { BlindStage } from "./BlindStage";

type Test = Schema["BlindTest"];

const ASKED: Record<Test["kind"], string> = {
  same: "Are these two renders of the same settings, or of different ones?",
  better: "Which of the two is better?",
};
const ANSWER_TITLES: Record<string, string> = {
  same: "Same",
  different: "Different",
  left: "The left one",
  right: "The right one",
};
/** The keys of the first and of the second answer. */
const ANSWER_KEYS = [",", "."];

/** A blind test, round by round: two pictures without names or figures, and a question. */
export function BlindPage() {
  const id = Number(useParams().id);
  const test = useQuery(blindTestQuery(id));
  useTitle("Judged blind");
  if (test.error && !test.data)
    return <Failed what="blind test" error={test.error} retry={() => void test.refetch()} />;
  if (!test.data) return <Loading what="blind test" />;
  return test.data.round ? <Rounds test={test.data} round={test.data.round} /> : <Result test={test.data} />;
}

function Rounds({ test, round }: { test: Test; round: Schema["BlindRound"] }) {
  const queries = useQueryClient();
  const began = useRef(performance.now());
  const [ending, setEnding] = useState(false);
  // biome-ignore lint/correctness/useExhaustiveDependencies: each round is timed from when it is shown
  useEffect(() => {
    began.current = performance.now();
  }, [round.number]);
  const keep = (next: Test) => {
    queries.setQueryData(blindTestQuery(test.id).queryKey, next);
    if (!next.round) void queries.invalidateQueries({ queryKey: ["blind", test.pair] });
  };
  const path = { params: { path: { id: test.id } } };
  const answer = useMutation({
    mutationFn: (said: string) =>
      body(
        api.POST("/api/blind/{id}/answer/", {
          ...path,
          body: { number: round.number, answer: said, seconds: (performance.now() - began.current) / 1000 },
        }),
      ),
    onSuccess: keep,
  });
  const end = useMutation({
    mutationFn: () => body(api.POST("/api/blind/{id}/end/", path)),
    onSuccess: keep,
  });
  useAnswerKeys(test.answers, answer.isPending, answer.mutate);
  const place = round.zone ? ` Look at ${round.zone}.` : "";
  return (
    <div className="flex h-full flex-col" data-round={round.number}>
      <div className="flex shrink-0 items-baseline gap-5 border-line border-b px-3.5 py-1">
        <h1 className="font-semibold">
          {ASKED[test.kind]}
          {place}
        </h1>
        <p className="ml-auto whitespace-nowrap text-soft text-sm">
          {test.author}, round {round.number} of {test.rounds}
        </p>
      </div>
      <BlindStage round={round} transform={test.view_transform} />
      <div className="flex shrink-0 items-center gap-3 border-line border-t px-3.5 py-2">
        {test.answers.map((said, place) => (
          <button
            key={said}
            type="button"
            className="act"
            data-kind="main"
            disabled={answer.isPending}
            onClick={() => answer.mutate(said)}
          >
            {ANSWER_TITLES[said] ?? said}{" "}
            <kbd className="ml-1 border border-white/60 px-1 font-sans text-xs">{ANSWER_KEYS[place]}</kbd>
          </button>
        ))}
        <p className="text-soft text-sm">Guess when you are not sure: guesses cancel out, gaps do not.</p>
        {answer.error ? (
          <p role="alert" className="text-fault text-sm">
            Not noted: {answer.error.message}
          </p>
        ) : null}
        <span className="ml-auto text-sm">
          {ending ? (
            <>
              End after {test.answered} of {test.rounds}?{" "}
              <button type="button" className="quiet-link" onClick={() => end.mutate()}>
                End it
              </button>{" "}
              <button type="button" className="quiet-link" onClick={() => setEnding(false)}>
                Go on
              </button>
            </>
          ) : (
            <>
              <Link to={`/pairs/${test.pair}`} className="quiet-link">
                Leave, go on later
              </Link>{" "}
              <button type="button" className="quiet-link ml-3" onClick={() => setEnding(true)}>
                End here
              </button>
            </>
          )}
        </span>
      </div>
    </div>
  );
}

function useAnswerKeys(answers: readonly string[], busy: boolean, say: (answer: string) => void) {
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (busy || event.ctrlKey || event.altKey || event.metaKey || event.repeat) return;
      const said = answers[ANSWER_KEYS.indexOf(event.key)];
      if (said && ANSWER_KEYS.includes(event.key)) say(said);
    };
    document.addEventListener("keydown", onKey);
    return () => document.removeEventListener("keydown", onKey);
  }, [answers, busy, say]);
}

/** What the test tells, once it is over. */
function Result({ test }: { test: Test }) {
  const { result } = test;
  const percent = useMemo(
    () => result?.interval.map((end) => Math.round(100 * end)).join(" to ") ?? "",
    [result],
  );
  return (
    <div className="px-6 py-6">
      <p className="text-soft">{test.question}</p>
      <h1 className="mt-0.5 max-w-[52rem] font-semibold text-xl leading-snug">
        {result ? result.sentence : "The test was ended before its first answer."}
      </h1>
      {result ? (
        <dl className="mt-4 grid max-w-[40rem] grid-cols-[16rem_1fr] gap-y-1" data-part="blind-result">
          <dt className="text-soft">{test.kind === "same" ? "Right answers" : "Preferred the trial"}</dt>
          <dd>
            {result.count} of {result.rounds}, {percent} % (95 % interval)
          </dd>
          <dt className="text-soft">By guessing alone</dt>
          <dd>
            such a count or a rarer one comes in {result.p < 0.001 ? "under 0.1" : fixed(100 * result.p, 1)} %
            of tests
          </dd>
          <dt className="text-soft">What it could have shown</dt>
          <dd>
            {result.could_show == null
              ? "nothing: it has too few rounds"
              : `a true share of ${Math.round(100 * result.could_show)} % or more, four times out of five`}
          </dd>
          <dt className="text-soft">By</dt>
          <dd>{test.author}</dd>
        </dl>
      ) : null}
      {result && !result.told ? (
        <div className="mt-3">
          <Notice kind="plain">
            <p>
              “Not told” does not mean that there is no difference; more rounds, or a closer look at a zone,
              may show one.
            </p>
          </Notice>
        </div>
      ) : null}
      <Link to={`/pairs/${test.pair}`} className="act mt-5 inline-flex items-center" data-kind="main">
        Back to the pair
      </Link>
    </div>
  );
}
