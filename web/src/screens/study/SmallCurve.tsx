import { Link } from "react-router";
import type { Schema } from "../../api/client";
import { AxisTitle, type Box, ChartFrame } from "../../charts/ChartFrame";
import { logAxis } from "../../charts/logAxis";
import { CONTROL_MARK, MarkShape, trialMark } from "../../charts/marks";
import { ends, type Figure, figureOf } from "./options";

type Option = Schema["OptionSummary"];
type Dot = { option: Option; x: Figure; y: Figure };

const WIDTH = 280;
const HEIGHT = 190;
const BOX: Box = { left: 34, right: WIDTH - 10, top: 22, bottom: HEIGHT - 36 };
const TITLE = { visible_noise: "visible noise, ΔE", visible_error: "visible error, ΔE" } as const;

/** Time against what the answer rests on, of all options at the place that is shown; those that are shown in their own
 * marks: the sides of their pair, or where they are none, what each is in the study. */
export function SmallCurve({
  study,
  options,
  shown,
}: {
  study: number;
  options: Option[];
  shown: Schema["ProofPictures"];
}) {
  const [first, second] = shown.sides.map((side) => side.option);
  const isControl = (option: Option) => (shown.pair ? option.id === first : option.control === 0);
  const place = options.find((each) => each.id === second)?.place;
  const dots = options.flatMap((option): Dot[] => {
    const [x, y] = [figureOf(option, "seconds"), figureOf(option, shown.measure)];
    return option.place === place && x && y && x.value > 0 && y.value > 0 ? [{ option, x, y }] : [];
  });
  if (dots.length < 2) return null;
  const x = logAxis(
    dots.flatMap((dot) => ends(dot.x)),
    BOX.left,
    BOX.right,
  );
  const y = logAxis(
    dots.flatMap((dot) => ends(dot.y)),
    BOX.bottom,
    BOX.top,
  );
  const others = dots.filter(({ option }) => option.id !== first && option.id !== second);
  const both = dots.filter((dot) => !others.includes(dot));
  return (
    <Link to={`/studies/${study}/curves`} className="block self-start" data-part="small-curve">
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="block w-full"
        role="img"
        aria-label={`Time and ${TITLE[shown.measure]} of ${dots.length} options; leads to the curves`}
      >
        <ChartFrame x={x} y={y} box={BOX} fontSize={11} />
        <g fontSize="11">
          <text x={2} y={11} fill="var(--color-ink)">
            {TITLE[shown.measure]}
          </text>
          <AxisTitle axis="x" words="seconds a render" at={[BOX.right, HEIGHT - 5]} />
        </g>
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
          const mark = isControl(dot.option) ? CONTROL_MARK : trialMark(0);
          const [left, top] = [x.at(dot.x.value), y.at(dot.y.value)];
          const [x0, x1] = ends(dot.x).map((value) => x.at(Math.max(value, 1e-12)));
          const [y0, y1] = ends(dot.y).map((value) => y.at(Math.max(value, 1e-12)));
          return (
            <g key={dot.option.id} data-side={isControl(dot.option) ? "control" : "trial"}>
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
