import { Link } from "react-router";
import type { Schema } from "../../api/client";
import { type Axis, logAxis } from "../../charts/logAxis";
import { CONTROL_MARK, MarkShape, trialMark } from "../../charts/marks";
import { ends, type Figure, figureOf } from "./options";

type Option = Schema["OptionSummary"];
type Dot = { option: Option; x: Figure; y: Figure };

const WIDTH = 280;
const HEIGHT = 190;
const LEFT = 34;
const RIGHT = 10;
const TOP = 22;
const BOTTOM = 36;
const TITLE = { visible_noise: "visible noise, ΔE", visible_error: "visible error, ΔE" } as const;

/** Time against what the answer rests on, of all options at the place that is shown; both sides in their own marks. */
export function SmallCurve({
  study,
  options,
  shown,
}: {
  study: number;
  options: Option[];
  shown: Schema["ProofPictures"];
}) {
  const [control, trial] = shown.sides.map((side) => side.option);
  const place = options.find((each) => each.id === trial)?.place;
  const dots = options.flatMap((option): Dot[] => {
    const [x, y] = [figureOf(option, "seconds"), figureOf(option, shown.measure)];
    return option.place === place && x && y && x.value > 0 && y.value > 0 ? [{ option, x, y }] : [];
  });
  if (dots.length < 2) return null;
  const x = logAxis(
    dots.flatMap((dot) => ends(dot.x)),
    LEFT,
    WIDTH - RIGHT,
  );
  const y = logAxis(
    dots.flatMap((dot) => ends(dot.y)),
    HEIGHT - BOTTOM,
    TOP,
  );
  const others = dots.filter(({ option }) => option.id !== control && option.id !== trial);
  const both = dots.filter((dot) => !others.includes(dot));
  return (
    <Link to={`/studies/${study}/curves`} className="block self-start" data-part="small-curve">
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="block w-full"
        role="img"
        aria-label={`Time and ${TITLE[shown.measure]} of ${dots.length} options; leads to the curves`}
      >
        <Frame x={x} y={y} title={TITLE[shown.measure]} />
        {others.map((dot) => (
          <circle
            key={dot.option.id}
            cx={x.at(dot.x.value)}
            cy={y.at(dot.y.value)}
            r="3"
            fill="var(--color-edge)"
          >
            <title>{dot.option.name}</title>
          </circle>
        ))}
        {both.map((dot) => {
          const mark = dot.option.id === control ? CONTROL_MARK : trialMark(0);
          const [left, top] = [x.at(dot.x.value), y.at(dot.y.value)];
          const [x0, x1] = ends(dot.x).map((value) => x.at(Math.max(value, 1e-12)));
          const [y0, y1] = ends(dot.y).map((value) => y.at(Math.max(value, 1e-12)));
          return (
            <g key={dot.option.id} data-side={dot.option.id === control ? "control" : "trial"}>
              <path d={`M${x0} ${top}H${x1}M${left} ${y0}V${y1}`} stroke={mark.hue} strokeOpacity="0.55" />
              <g transform={`translate(${left} ${top})`}>
                <MarkShape mark={mark} />
              </g>
            </g>
          );
        })}
      </svg>
    </Link>
  );
}

function Frame({ x, y, title }: { x: Axis; y: Axis; title: string }) {
  return (
    <g fontSize="11" fill="var(--color-soft)">
      {x.ticks.map((tick) => (
        <text key={tick.value} x={x.at(tick.value)} y={HEIGHT - BOTTOM + 14} textAnchor="middle">
          {tick.words}
        </text>
      ))}
      {y.ticks.map((tick) => (
        <g key={tick.value}>
          <path d={`M${LEFT} ${y.at(tick.value)}H${WIDTH - RIGHT}`} stroke="var(--color-line)" />
          <text x={LEFT - 5} y={y.at(tick.value) + 4} textAnchor="end">
            {tick.words}
          </text>
        </g>
      ))}
      <path
        d={`M${LEFT} ${TOP}V${HEIGHT - BOTTOM}H${WIDTH - RIGHT}`}
        stroke="var(--color-edge)"
        fill="none"
      />
      <text x={2} y={11} fill="var(--color-ink)">
        {title}
      </text>
      <text x={WIDTH - RIGHT} y={HEIGHT - 5} textAnchor="end" fill="var(--color-ink)">
        seconds a render
      </text>
    </g>
  );
}
