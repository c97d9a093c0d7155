import type { ReactNode } from "react";
import type { Schema } from "../api/client";
import { megabytes, three } from "../parts/format";
import { SideName } from "../parts/Side";

type Pair = Schema["Pair"];
type Figure = Schema["Figure"];
type Ratio = Schema["Ratio"];

const METHOD_WORDS: Record<string, string> = {
  twin: "by twins",
  wall: "wall time",
  cpu: "CPU time, the machine was busy",
};

/** Both sides' figures with their spread, how they were got, and the trial as a multiple of the control. */
export function PairFigures({ pair }: { pair: Pair }) {
  const { control, trial } = pair;
  return (
    <section aria-label="Figures">
      <table className="table-plain w-full text-sm">
        <thead>
          <tr>
            <th scope="col">
              <span className="sr-only">Figure</span>
            </th>
            <th scope="col" className="!text-right">
              <SideName side="control" />
            </th>
            <th scope="col" className="!text-right">
              <SideName side="trial" />
            </th>
            <th scope="col" className="!text-right">
              Trial ÷ control
            </th>
          </tr>
        </thead>
        <tbody>
          <Row
            name="Noise"
            unit="%"
            note={methodOf(control.noise)}
            control={<FigureCell figure={control.noise} outOfDate={control.out_of_date} />}
            trial={<FigureCell figure={trial.noise} outOfDate={trial.out_of_date} />}
            ratio={<RatioCell ratio={pair.noise_ratio} refused={pair.refused.noise_ratio} />}
          />
          <Row
            name="Rendering"
            unit="s"
            note={methodOf(control.render_seconds)}
            control={<FigureCell figure={control.render_seconds} />}
            trial={<FigureCell figure={trial.render_seconds} />}
            ratio={<RatioCell ratio={pair.time_ratio} refused={pair.refused.time_ratio} />}
          />
          <Row
            name="Getting ready"
            unit="s"
            note="not in the ratio"
            control={<FigureCell figure={control.ready_seconds} />}
            trial={<FigureCell figure={trial.ready_seconds} />}
            ratio={null}
          />
          <Row
            name="Peak memory"
            unit=""
            note="largest of the repeats"
            control={megabytes(control.peak_memory_bytes)}
            trial={megabytes(trial.peak_memory_bytes)}
            ratio={null}
          />
        </tbody>
      </table>
      <p className="mt-2 text-soft text-sm">
        Noise: 95 % interval in brackets. Times: median of {control.runs.length} and {trial.runs.length}{" "}
        repeats, lowest and highest in brackets.
        {topShareWords(control.noise_top_share, trial.noise_top_share)}
      </p>
    </section>
  );
}

function Row(props: {
  name: string;
  unit: string;
  note: string;
  control: ReactNode;
  trial: ReactNode;
  ratio: ReactNode;
}) {
  return (
    <tr>
      <th scope="row" className="text-left font-normal">
        {props.name}
        {props.unit ? ` (${props.unit})` : ""}
        <span className="block text-soft text-xs">{props.note}</span>
      </th>
      <td className="number">{props.control}</td>
      <td className="number">{props.trial}</td>
      <td className="number">{props.ratio}</td>
    </tr>
  );
}

function FigureCell({ figure, outOfDate }: { figure: Figure | null; outOfDate?: boolean }) {
  if (outOfDate) return <span className="text-fault">out of date, measured again soon</span>;
  if (!figure) return <span className="text-soft">not measured</span>;
  if (figure.value == null) return <span className="text-fault">{figure.refused}</span>;
  return (
    <>
      {three(figure.value)}
      <span className="block text-soft text-xs">{spread(figure.interval)}</span>
    </>
  );
}

function RatioCell({ ratio, refused }: { ratio: Ratio | null; refused: string | undefined }) {
  if (refused) return <span className="text-fault">refused: {refused}</span>;
  if (!ratio) return <span className="text-soft">not yet</span>;
  return (
    <span data-tie={ratio.tie}>
      {ratio.tie ? "tie, " : ""}
      {three(ratio.value)}
      <span className="block text-soft text-xs">{spread(ratio.interval)}</span>
    </span>
  );
}

function spread(interval: number[] | null): string {
  const [low, high] = interval ?? [];
  return low === undefined || high === undefined ? "no interval" : `(${three(low)} to ${three(high)})`;
}

function methodOf(figure: Figure | null): string {
  return figure ? (METHOD_WORDS[figure.method] ?? figure.method) : "";
}

function topShareWords(control: number | null, trial: number | null): string {
  const most = Math.max(control ?? 0, trial ?? 0);
  if (most < 0.1) return "";
  return ` Up to ${Math.round(100 * most)} % of the noise sits in the noisiest 0.1 % of pixels: rare bright paths may be missed by both twins.`;
}
