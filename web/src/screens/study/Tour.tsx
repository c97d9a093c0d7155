import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { sessionQuery } from "../../api/queries";
import { useRemembered } from "../../parts/remembered";
import type { Row } from "./found";

type Stop = { key: string; title: string; told: string; to: string };

/** A way through the demo data, from an answer to a recipe; closed once, it is gone for ever. */
export function Tour({ rows }: { rows: readonly Row[] }) {
  const session = useQuery(sessionQuery);
  const [closed, setClosed] = useRemembered("tour.closed", false);
  const [seen, setSeen] = useRemembered<string[]>("tour.seen", []);
  const proven = rows.find((row) => row.sure === "sure" && row.pair > 0 && row.options === 2);
  const large = [...rows].sort((a, b) => b.options - a.options)[0];
  if (closed || !session.data?.demo || !proven || !large) return null;
  const stops: Stop[] = [
    {
      key: "answer",
      title: "An answer and its proof",
      told: "One sentence, why, and both pictures where they differ most, beside what they are judged by.",
      to: `/studies/${proven.id}`,
    },
    {
      key: "pair",
      title: "Look closely, and judge",
      told: "Press > for the next place where they differ, X to exchange them, Enter to say which to use.",
      to: `/pairs/${proven.pair}`,
    },
    {
      key: "curves",
      title: "What a cleaner picture costs",
      told: "Drag the line: each curve says how many samples and seconds that noise takes.",
      to: `/studies/${large.id}/curves`,
    },
    {
      key: "decide",
      title: "Decide, and save a recipe",
      told: "Limits for a preview, a still, an animation; the choice follows, with what it takes on your machines.",
      to: `/studies/${large.id}/decide`,
    },
    {
      key: "ask",
      title: "Ask your own",
      told: "The engines that ship with it render on this machine; a small plan answers within minutes.",
      to: "/studies/new",
    },
  ];
  return (
    <section
      aria-label="A way through the demo data"
      className="mt-4 border border-line bg-wash/60 px-4 py-3"
    >
      <div className="flex items-baseline justify-between gap-4">
        <h2 className="font-semibold">New here? Five places to look at</h2>
        <button type="button" className="quiet-link text-sm" onClick={() => setClosed(true)}>
          Close for ever
        </button>
      </div>
      <ol className="mt-1 grid grid-cols-5 gap-4 text-sm">
        {stops.map((stop, number) => (
          <li key={stop.key}>
            <Link
              to={stop.to}
              className="quiet-link font-semibold"
              onClick={() => setSeen([...new Set([...seen, stop.key])])}
            >
              {number + 1} {stop.title}
            </Link>
            {seen.includes(stop.key) ? <span className="text-good"> seen</span> : null}
            <span className="block text-soft">{stop.told}</span>
          </li>
        ))}
      </ol>
    </section>
  );
}
