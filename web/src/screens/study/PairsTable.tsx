import { Link } from "react-router";
import type { Schema } from "../../api/client";
import { copied, spread, three } from "../../parts/format";

type Summary = Schema["PairSummary"];

/** Every trial against its control: what it gains in time and noise. */
export function PairsTable({ pairs }: { pairs: Summary[] }) {
  const matchedFirst = [...pairs].sort((a, b) => Number(b.matched != null) - Number(a.matched != null));
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a table longer than its box is scrolled by keyboard
    <div className="max-h-[18rem] overflow-auto" tabIndex={0}>
      <table className="table-plain w-full text-sm" aria-label="Pairs">
        <thead>
          <tr>
            <th scope="col">Trial against its control</th>
            <th scope="col" className="!text-right">
              Time ratio
            </th>
            <th scope="col" className="!text-right">
              Noise ratio
            </th>
            <th scope="col" className="!text-right">
              Visible noise ratio
            </th>
            <th scope="col">
              <span className="sr-only">Look</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {matchedFirst.map((pair) => (
            <tr key={pair.pair} data-pair={pair.pair}>
              <th scope="row" className="text-left font-normal">
                {pair.subject}
                {pair.matched ? <span className="block text-good text-xs">{pair.matched.words}</span> : null}
                {pair.fair ? null : <span className="block text-fault text-xs">not matched in all else</span>}
              </th>
              <td className="number">
                <RatioCell
                  ratio={pair.time_ratio}
                  refused={pair.refused.time_ratio ?? (pair.ready ? "not known" : undefined)}
                />
              </td>
              <td className="number">
                <RatioCell ratio={pair.noise_ratio} refused={pair.refused.noise_ratio} />
              </td>
              <td className="number">
                <RatioCell ratio={pair.visible_noise_ratio} refused={pair.refused.visible_noise_ratio} />
              </td>
              <td className="text-right">
                {pair.ready ? (
                  <Link
                    to={`/pairs/${pair.pair}`}
                    className="quiet-link"
                    aria-label={`Look at ${pair.subject}`}
                  >
                    Look
                  </Link>
                ) : null}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function RatioCell({ ratio, refused }: { ratio: Summary["time_ratio"]; refused: string | undefined }) {
  if (!ratio) return <span className="text-soft">{refused ?? "not measured yet"}</span>;
  return (
    <span data-copy={copied(ratio.value, "×", ratio.interval)}>
      {ratio.tie ? "no difference, " : ""}
      {three(ratio.value)}
      <span className="block text-soft text-xs leading-tight">
        {spread(ratio.interval)}
        {ratio.method === "cpu" ? ", CPU" : ""}
        {ratio.note ? `, ${ratio.note}` : ""}
      </span>
    </span>
  );
}
