import { Link } from "react-router";
import type { Need, Row } from "./found";
import { useSettle } from "./useSettle";

const MOST = 6;

/** What asks for somebody now, each with the one thing to do about it. */
export function Needs({ needs }: { needs: Need[] }) {
  if (needs.length === 0) return null;
  const more = needs.length - MOST;
  return (
    <section aria-label="Now" className="mt-4 bg-wash px-4 py-2" data-part="needs">
      <ul className="divide-y divide-line">
        {needs.slice(0, MOST).map((need) => (
          <li key={need.row.id} className="flex items-center gap-4 py-1.5">
            <span className="w-36 shrink-0 text-soft text-sm">{WORDS[need.why](need.row)}</span>
            <Link to={`/studies/${need.row.id}`} className="quiet-link min-w-0 truncate">
              {need.row.question}
            </Link>
            <span className="ml-auto shrink-0">
              <Act need={need} />
            </span>
          </li>
        ))}
      </ul>
      {more > 0 ? <p className="py-1 text-soft text-sm">and {more} more below</p> : null}
    </section>
  );
}

const WORDS: Record<Need["why"], (row: Row) => string> = {
  running: (row) => `running, ${row.runs_done} of ${row.runs_planned}`,
  failed: (row) => `partly done, ${row.runs_done} of ${row.runs_planned}`,
  new: () => "done since you looked",
  open: () => "not sure yet",
};

function Act({ need }: { need: Need }) {
  const { row } = need;
  const settle = useSettle(row.id);
  if (need.why === "open" && row.next?.act === "seeds" && !row.from_elsewhere) {
    return (
      <button type="button" className="act" disabled={settle.isPending} onClick={() => settle.mutate()}>
        {settle.error ? "Could not be queued; open the study" : row.next.words}
      </button>
    );
  }
  const words = { running: "Watch", failed: "See what failed", new: "Read the answer", open: "Look" };
  return (
    <Link to={`/studies/${row.id}`} className="act inline-flex items-center">
      {words[need.why]}
    </Link>
  );
}
