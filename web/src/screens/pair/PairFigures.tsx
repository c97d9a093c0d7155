import type { ReactNode } from "react";
import type { Schema } from "../../api/client";
import { copied, megabytes, spread, three } from "../../parts/format";
import { SideName } from "../../parts/Side";
import { ratioWords } from "./figureWords";

type Pair = Schema["Pair"];
type Figure = Schema["Figure"];
type Ratio = Schema["Ratio"];

const METHOD_WORDS: Record<string, string> = {
  twin: "by twins",
  wall: "wall time",
  cpu: "CPU time, busy machine",
  "whole wall": "wall time of the whole run",
  "whole cpu": "CPU time of the whole run, busy machine",
};

/** Both sides' figures with their spread, how they were got, and the trial as a multiple of the control. */
export function PairFigures({ pair }: { pair: Pair }) {
  const { control, trial } = pair;
  const words = pair.noise_ratio?.spread ? ratioWords(control.noise, trial.noise, pair.noise_ratio) : "";
  return (
    <section aria-label="Figures">
      <table className="w-full table-fixed text-sm">
        <thead>
          <tr className="align-bottom [&>th]:border-edge [&>th]:border-b [&>th]:pb-1 [&>th]:text-right">
            <th scope="col">
              <SideName side="control" />
            </th>
            <th scope="col">
              <SideName side="trial" />
            </th>
            <th scope="col" className="font-semibold">
              Trial ÷ control
            </th>
          </tr>
        </thead>
        <Rows
          name="Noise, %"
          note={`${methodOf(control.noise)}, typical place`}
          control={<FigureCell figure={control.noise} outOfDate={control.out_of_date} />}
          trial={<FigureCell figure={trial.noise} outOfDate={trial.out_of_date} />}
          ratio={<RatioCell ratio={pair.noise_ratio} refused={pair.refused.noise_ratio} />}
          refused={pair.refused.noise_ratio}
        />
        <Rows
          name="Visible noise, ΔE"
          note="as an eye sees it; below 1 it is not noticed"
          control={<FigureCell figure={control.visible_noise} outOfDate={control.out_of_date} />}
          trial={<FigureCell figure={trial.visible_noise} outOfDate={trial.out_of_date} />}
          ratio={<RatioCell ratio={pair.visible_noise_ratio} refused={pair.refused.visible_noise_ratio} />}
          refused={pair.refused.visible_noise_ratio}
        />
        <Rows
          name="Rendering, s"
          note={methodOf(control.render_seconds)}
          control={<FigureCell figure={control.render_seconds} />}
          trial={<FigureCell figure={trial.render_seconds} />}
          ratio={<RatioCell ratio={pair.time_ratio} refused={pair.refused.time_ratio} />}
          refused={pair.refused.time_ratio}
        />
        <Rows
          name="Getting ready, s"
          note="wall time, not in the ratio"
          control={<FigureCell figure={control.ready_seconds} />}
          trial={<FigureCell figure={trial.ready_seconds} />}
        />
        <Rows
          name="Peak memory"
          note="largest of the repeats"
          control={megabytes(control.peak_memory_bytes)}
          trial={megabytes(trial.peak_memory_bytes)}
        />
      </table>
      {words ? (
        <p className="mt-2 text-sm" data-part="places">
          {words}
        </p>
      ) : null}
      <p className="mt-2 text-soft text-xs">
        Below noise and the ratios: 95 % interval, drawn from a quarter to four times the control. Below
        times: lowest and highest of {repeats(control, trial)}; the figure is their median.
        {topShareWords(control.noise_top_share, trial.noise_top_share)}
      </p>
    </section>
  );
}

function repeats(control: Pair["control"], trial: Pair["trial"]): string {
  const [one, two] = [control.runs.length, trial.runs.length];
  return one === two ? `${one} repeats` : `${one} and ${two} repeats`;
}

/** A figure's name over its three columns. */
function Rows(props: {
  name: string;
  note: string;
  control: ReactNode;
  trial: ReactNode;
  ratio?: ReactNode;
  refused?: string | undefined;
}) {
  return (
    <tbody>
      <tr>
        <th scope="rowgroup" colSpan={3} className="pt-1.5 text-left font-normal">
          {props.name} <span className="text-soft text-xs">{props.note}</span>
        </th>
      </tr>
      <tr className="align-top [&>td]:border-line [&>td]:border-b [&>td]:pb-1.5 [&>td]:text-right">
        <td>{props.control}</td>
        <td>{props.trial}</td>
        <td>{props.ratio}</td>
      </tr>
      {props.refused ? <Refusal reason={props.refused} /> : null}
    </tbody>
  );
}

export function FigureCell({ figure, outOfDate }: { figure: Figure | null; outOfDate?: boolean }) {
  if (outOfDate) return <span className="text-fault">out of date, measured again soon</span>;
  if (!figure) return <span className="text-soft">not measured</span>;
  if (figure.value == null) return <span className="text-fault">{figure.refused}</span>;
  return (
    <span data-copy={copied(figure.value, figure.unit, figure.interval)}>
      {three(figure.value)}
      <span className="block whitespace-nowrap text-soft text-xs">{spread(figure.interval)}</span>
    </span>
  );
}

export function RatioCell({ ratio, refused }: { ratio: Ratio | null; refused: string | undefined }) {
  if (refused) return <span className="text-fault">refused</span>;
  if (!ratio) return <span className="text-soft">not yet</span>;
  return (
    <span data-tie={ratio.tie} data-copy={copied(ratio.value, "×", ratio.interval)}>
      {three(ratio.value)}
      <span className="block whitespace-nowrap text-soft text-xs">{spread(ratio.interval)}</span>
      <RatioBar ratio={ratio} />
      {ratio.tie ? <span className="block text-xs">no difference</span> : null}
    </span>
  );
}

const ACROSS = 76;
const MOST = Math.log(4);

/** A ratio and its interval on a line from a quarter to four times, the middle being the same. */
function RatioBar({ ratio }: { ratio: Ratio }) {
  const at = (value: number) => {
    const share = Math.log(Math.max(value, 1e-6)) / MOST;
    return ACROSS / 2 + Math.min(Math.max(share, -1), 1) * (ACROSS / 2 - 4);
  };
  const [low = ratio.value, high = ratio.value] = ratio.interval ?? [];
  return (
    <svg width={ACROSS} height="10" className="ml-auto block" aria-hidden="true" data-part="ratio">
      <path d={`M4 5H${ACROSS - 4}`} className="stroke-line" />
      <path d={`M${ACROSS / 2} 1V9`} stroke="var(--color-edge)" />
      <path d={`M${at(low)} 5H${at(high)}`} className="stroke-ink" strokeWidth="2" />
      <circle
        cx={at(ratio.value)}
        cy="5"
        r="3"
        className={ratio.tie ? "fill-paper stroke-ink" : "fill-ink"}
      />
    </svg>
  );
}

/** Why a ratio is refused, over the width of the table. */
export function Refusal({ reason }: { reason: string }) {
  return (
    <tr data-part="refusal">
      <td colSpan={3} className="pb-1.5 text-left text-fault text-xs">
        Refused: {reason}
      </td>
    </tr>
  );
}

function methodOf(figure: Figure | null): string {
  return figure ? (METHOD_WORDS[figure.method] ?? figure.method) : "";
}

function topShareWords(control: number | null, trial: number | null): string {
  const most = Math.max(control ?? 0, trial ?? 0);
  if (most < 0.1) return "";
  return ` Up to ${Math.round(100 * most)} % of the total noise sits in the noisiest 0.1 % of pixels: rare bright paths may be missed by both seeds.`;
}
