import { Link } from "react-router";
import type { Schema } from "../../api/client";
import { Notice } from "../../parts/Notice";
import { useSettle } from "./useSettle";

type Answer = Schema["StudyAnswer"];
type Claim = Schema["Claim"];

/** The answer to the study's question: the sentence, why, what speaks against it, and what would settle it. */
export function AnswerHead({
  study,
  answer,
  soFar,
}: {
  study: Schema["Study"];
  answer: Answer;
  /** From how much it speaks while more is to come; empty when nothing is. */
  soFar: string;
}) {
  return (
    <section aria-label="Answer" data-sure={answer.sure}>
      {soFar ? <p className="text-soft text-sm">{soFar}</p> : null}
      <h1 className="max-w-[52rem] text-xl font-semibold leading-snug">{answer.sentence}</h1>
      {answer.because.length > 0 ? (
        <ul className="mt-1.5 max-w-[52rem]" aria-label="Because">
          {answer.because.map((claim) => (
            <li key={claim.text}>
              <ClaimLine claim={claim} study={study.id} />
            </li>
          ))}
        </ul>
      ) : null}
      <But claims={answer.but} study={study.id} />
      <NextStep study={study} answer={answer} />
    </section>
  );
}

/** What speaks against it; nothing where nothing does. */
export function But({ claims, study }: { claims: Claim[]; study: number }) {
  if (claims.length === 0) return null;
  return (
    <div className="mt-1.5 flex max-w-[52rem] gap-2 text-fault">
      <span className="font-semibold">But</span>
      <ul aria-label="But">
        {claims.map((claim) => (
          <li key={claim.text}>
            <ClaimLine claim={claim} study={study} />
          </li>
        ))}
      </ul>
    </div>
  );
}

/** A claim is a link to what proves it. */
function ClaimLine({ claim, study }: { claim: Claim; study: number }) {
  const to = addressOf(claim.proof, study);
  if (!to) return claim.text;
  return (
    <Link to={to} className="quiet-link">
      {claim.text}
    </Link>
  );
}

/** Where a claim can be seen; nothing for one about the study as a whole. */
export function addressOf(proof: Claim["proof"], study: number): string {
  if (!proof) return "";
  if (proof.kind === "pair" && proof.pair > 0) return `/pairs/${proof.pair}`;
  return proof.kind === "curve" ? `/studies/${study}/curves` : "";
}

/** Where zones and references of a study's own place are, to add one of a kind. */
function scenePlace(study: Schema["Study"], add?: "render" | "photograph"): string {
  const place = new URLSearchParams({
    view: study.view,
    variant: study.variant,
    frame: `${study.frame}`,
    ...(add ? { add } : {}),
  });
  return `/scenes/${encodeURIComponent(study.scene_name)}?${place}`;
}

/** What only rendering settles: of renders made elsewhere more are brought in instead. */
const MADE_HERE: readonly string[] = ["seeds", "levels", "run", "search"];

/** What to bring in: as many seeds as would settle it, where seeds would. */
export function bringIn(step: { act: string; words: string }): string {
  return step.act === "seeds" ? step.words.replace(/^Render\b/, "Bring in") : "Bring in more renders";
}

/** The one thing that would settle what is open. */
export function NextStep({ study, answer }: { study: Schema["Study"]; answer: Answer }) {
  const settle = useSettle(study.id);
  const { next: step, shown } = answer;
  if (!step) return null;
  const elsewhere = {
    reference: scenePlace(study, "render"),
    photograph: scenePlace(study, "photograph"),
    zone: scenePlace(study),
    "reference sequence": `/studies/${study.id}/motion`,
    levels: `/studies/${study.id}/plan`,
    look: addressOf(shown, study.id),
    times: "/imports",
    search: `/studies/${study.id}/search?at=full-size`,
  } as Record<string, string>;
  if (study.from_elsewhere && MADE_HERE.includes(step.act)) {
    return (
      <p className="mt-2">
        <Link to="/imports" className="act inline-flex items-center" data-part="next">
          {bringIn(step)}
        </Link>
      </p>
    );
  }
  const here = step.act === "take reference" || (step.act === "reference" && step.quality != null);
  const to = here ? undefined : elsewhere[step.act];
  return (
    <p className="mt-2">
      {to ? (
        <Link to={to} className="act inline-flex items-center" data-part="next">
          {study.from_elsewhere && step.act === "reference" ? "Bring in a reference" : step.words}
        </Link>
      ) : step.act === "run" ? null : (
        <button
          type="button"
          className="act"
          data-part="next"
          onClick={() => settle.mutate()}
          disabled={settle.isPending}
        >
          {step.words}
        </button>
      )}
      {settle.error ? <Notice kind="fault">{settle.error.message}</Notice> : null}
    </p>
  );
}
