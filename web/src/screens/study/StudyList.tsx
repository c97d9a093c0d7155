import { useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { bytes, day } from "../../parts/format";
import { MatchRail } from "../../parts/MatchRail";
import { SideName } from "../../parts/Side";
import type { Row } from "./found";

const AT_FIRST = 40; // more are drawn as they come into sight

/** Studies one below the other: the pictures that show the answer, the question, the answer. */
export function StudyList({ rows, withDisk }: { rows: readonly Row[]; withDisk: boolean }) {
  const [most, setMost] = useState(AT_FIRST);
  const end = useRef<HTMLLIElement>(null);
  const more = rows.length > most;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the end is another one after each growth
  useEffect(() => {
    if (!end.current) return;
    const watch = new IntersectionObserver(
      (seen) => seen.some((each) => each.isIntersecting) && setMost((now) => now + AT_FIRST),
      { rootMargin: "800px" },
    );
    watch.observe(end.current);
    return () => watch.disconnect();
  }, [more, most]);
  if (rows.length === 0) return null;
  return (
    <ul className="mt-3 border-edge border-t">
      {rows.slice(0, most).map((row) => (
        <li
          key={row.id}
          className="grid grid-cols-[268px_1fr_auto] items-start gap-5 border-line border-b py-3 [contain-intrinsic-size:auto_6rem] [content-visibility:auto]"
          data-study={row.id}
        >
          <Pictures row={row} />
          <div className="min-w-0">
            <h2 className="text-lg font-semibold leading-snug">
              <Link to={`/studies/${row.id}`} className="quiet-link">
                {row.question}
              </Link>
            </h2>
            <p className={row.gathered ? "mt-0.5" : "mt-0.5 text-soft"}>
              {row.gathered ? row.sentence : "Gathering what it says …"}
            </p>
            <p className="mt-1 flex flex-wrap items-center gap-x-4 text-sm text-soft">
              {row.match_rail ? <MatchRail sheet={row.match_rail} /> : null}
              <span>{row.scene}</span>
              <span>{row.engines.join(", ")}</span>
              <span>{day(row.created_at)}</span>
              {row.options > 2 ? <span>{row.options} options</span> : null}
              {withDisk && row.disk_bytes > 0 ? <span>{bytes(row.disk_bytes)}</span> : null}
              {row.archived ? <span>archived</span> : null}
            </p>
          </div>
          <div className="w-36 text-right">
            <State row={row} />
            {row.runs_done > 1 && row.options === 2 ? (
              <Link to={`/pairs/${row.pair}`} className="act mt-2 inline-flex items-center">
                Look at the pair
              </Link>
            ) : null}
          </div>
        </li>
      ))}
      {more ? (
        <li ref={end} className="py-3 text-soft">
          {rows.length - most} more …
        </li>
      ) : null}
    </ul>
  );
}

/** Control and chosen option where they differ most; before there is a proof, the last render. */
function Pictures({ row }: { row: Row }) {
  const [gone, setGone] = useState("");
  if (row.proof && gone !== row.proof) {
    return (
      <img
        src={`/api/studies/${row.id}/proof.png?of=${row.proof}`}
        alt={`What shows the answer to “${row.question}”`}
        className="h-auto max-h-[92px] w-[268px] object-cover object-left"
        loading="lazy"
        width={534}
        height={148}
        onError={() => setGone(row.proof)}
      />
    );
  }
  if (!row.thumbnail) {
    return (
      <div className="flex h-[74px] w-[132px] items-center justify-center bg-wash text-soft text-sm">
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
    done: row.sure === "not sure yet" ? "Not sure yet" : "",
  }[row.state];
  return <p className={row.state === "partly" ? "text-fault" : ""}>{words}</p>;
}
