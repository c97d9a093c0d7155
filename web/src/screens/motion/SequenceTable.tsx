import type { Schema } from "../../api/client";
import { three } from "../../parts/format";
import { SideMark } from "../../parts/Side";

type Sequence = Schema["Motion"];

/** Each sequence with its figures, and which of its frames are missing or bad. */
export function SequenceTable(props: { rows: Sequence[]; chosen: string; onChoose: (key: string) => void }) {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a table wider than its box is scrolled by keyboard
    <div className="overflow-x-auto" tabIndex={0}>
      <table className="table-plain w-full text-sm" aria-label="Sequences">
        <thead>
          <tr>
            <th scope="col">Sequence</th>
            {["Flicker, %", "Boiling, %", "Frame to frame, %"].map((title) => (
              <th key={title} scope="col" className="!text-right">
                {title}
              </th>
            ))}
            <th scope="col">Change of light</th>
            <th scope="col">Frames</th>
            <th scope="col">
              <span className="sr-only">Play</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {props.rows.map((row) => (
            <tr key={row.key} data-sequence={row.title}>
              <th scope="row" className="text-left font-normal">
                <span className="flex items-baseline gap-1.5">
                  <SideMark side={row.control ? "control" : "trial"} size={9} />
                  {row.title}
                </span>
              </th>
              <Figure value={row.flicker_percent} lacks={row.lacks} />
              <Figure value={row.boiling_percent} lacks={row.lacks} />
              <Figure value={row.frame_to_frame_percent} lacks={row.lacks} />
              <td>{answerWords(row)}</td>
              <td>{frameWords(row)}</td>
              <td className="text-right">
                {row.control ? null : (
                  <button
                    type="button"
                    className="act"
                    aria-pressed={row.key === props.chosen}
                    onClick={() => props.onChoose(row.key)}
                    aria-label={`Play ${row.title} beside the control`}
                  >
                    Play
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Figure({ value, lacks }: { value: number | null; lacks: string }) {
  return (
    <td className="number">
      {value === null ? <span className="text-soft">{lacks || "not measured"}</span> : three(value)}
    </td>
  );
}

function answerWords(row: Sequence): string {
  const { response } = row;
  if (!response) return row.flicker_percent === null ? "" : "none";
  const change = `${response.change < 0 ? "−" : "+"}${three(100 * Math.abs(response.change))} % from frame ${response.frame} on`;
  return response.at_once
    ? `${change}, at once`
    : `${change}, nine tenths within ${three(response.frames_to_90)} frames`;
}

function frameWords(row: Sequence): string {
  const bad = row.frames.filter((frame) => frame.state === "bad");
  const there = row.frames.filter((frame) => frame.state === "there").length;
  const gaps = row.gaps.length > 0 ? `; no frame ${row.gaps.slice(0, 6).join(", ")}` : "";
  const wrong =
    bad.length > 0
      ? `; bad: ${bad
          .slice(0, 6)
          .map((frame) => frame.frame)
          .join(", ")}`
      : "";
  return `${there} of ${row.frames.length}${wrong}${gaps}`;
}
