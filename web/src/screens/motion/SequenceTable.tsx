import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, type Schema } from "../../api/client";
import { askAgain } from "../../api/events";
import { CONTROL_MARK, type Mark, MarkKey, trialMark } from "../../charts/marks";
import { three } from "../../parts/format";

type Sequence = Schema["Motion"];

/** Each row with the mark that its lines in the charts have. */
export function marked(rows: Sequence[]): { row: Sequence; mark: Mark }[] {
  let trials = 0;
  return rows.map((row) => ({ row, mark: row.control ? CONTROL_MARK : trialMark(trials++) }));
}

/** Each sequence with its figures, and which of its frames are missing or bad. */
export function SequenceTable(props: {
  study: number;
  rows: Sequence[];
  chosen: string;
  onChoose: (key: string) => void;
}) {
  const queries = useQueryClient();
  const held = props.rows.some((row) => row.has_reference);
  const refer = useMutation({
    mutationFn: (key: string) =>
      api.POST("/api/studies/{id}/motion/as-reference/", {
        params: { path: { id: props.study } },
        body: { key },
      }),
    onSuccess: () => void askAgain(queries, "runs", "measured"),
  });
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
            {held ? (
              <th scope="col" className="!text-right">
                Against the reference, %
              </th>
            ) : null}
            <th scope="col" className="!pl-5">
              Change of light
            </th>
            <th scope="col">Frames</th>
            <th scope="col">
              <span className="sr-only">Play</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {marked(props.rows).map(({ row, mark }) => (
            <tr key={row.key} data-sequence={row.title}>
              <th scope="row" className="text-left font-normal">
                <span className="flex items-center gap-1.5">
                  <MarkKey mark={mark} />
                  {row.title}
                </span>
              </th>
              {row.flicker_percent === null ? (
                <td colSpan={3} className="whitespace-normal text-right text-soft">
                  {row.lacks || "not measured"}
                </td>
              ) : (
                <>
                  <Figure value={row.flicker_percent} />
                  <Figure value={row.boiling_percent} />
                  <Figure value={row.frame_to_frame_percent} />
                </>
              )}
              {held ? <td className="number max-w-64 whitespace-normal">{referenceWords(row)}</td> : null}
              <td className="!pl-5">
                <Answer row={row} />
              </td>
              <td>{frameWords(row)}</td>
              <td className="whitespace-nowrap text-right">
                {row.has_reference || row.frames.some((frame) => !frame.picture) ? null : (
                  <button
                    type="button"
                    className="act mr-1.5"
                    disabled={refer.isPending}
                    onClick={() => refer.mutate(row.key)}
                    aria-label={`Use as reference: ${row.title}`}
                  >
                    Use as reference
                  </button>
                )}
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

function Figure({ value }: { value: number | null }) {
  return (
    <td className="number">
      {value === null ? <span className="text-soft">not measured</span> : three(value)}
    </td>
  );
}

/** The error, and how much of it changes from frame to frame. */
function referenceWords(row: Sequence) {
  const { reference } = row;
  if (row.reference_refused)
    return (
      <span className="text-soft" title={row.reference_refused}>
        refused: {row.reference_refused}
      </span>
    );
  if (!reference) return <span className="text-soft">{row.has_reference ? "not measured yet" : "none"}</span>;
  return (
    <span
      title={
        reference.noise_taken_out ? "the reference's own noise is taken out" : "with the reference's noise"
      }
    >
      {three(reference.error_percent)}
      <span className="block text-soft text-xs">
        {three(reference.frame_to_frame_percent)} frame to frame
      </span>
    </span>
  );
}

/** What the light does in the zone, and below it how far the method lags behind it. */
function Answer({ row }: { row: Sequence }) {
  const behind = row.reference ?? row.behind_control;
  if (row.flicker_percent === null) return null;
  const [late, why] = behind ? lagWords(row, behind) : ["", ""];
  return (
    <>
      {changeWords(row, behind?.lag != null)}
      {late ? (
        <span className="block text-soft text-xs" title={why}>
          {late}
        </span>
      ) : null}
    </>
  );
}

function changeWords(row: Sequence, lagKnown: boolean): string {
  const { response } = row;
  if (!response) return row.light_changes ? "several, or moving light" : "none";
  const change = `${response.change < 0 ? "−" : "+"}${three(100 * Math.abs(response.change))} % from frame ${response.frame} on`;
  if (lagKnown) return change;
  return response.at_once
    ? `${change}, at once`
    : `${change}, 90 % of it within ${three(response.frames_to_90)} frames`;
}

function lagWords(row: Sequence, behind: Schema["Behind"]): [string, string] {
  const whom = row.reference ? "the reference" : "the control";
  const { lag } = behind;
  if (!lag) return [`lag behind ${whom} not told`, behind.lag_refused];
  const [low, high] = lag.frames_to_90_interval;
  if (lag.at_once)
    return [`no lag behind ${whom}`, `at most ${three(high ?? 0)} frames to follow 90 % of a light change`];
  return [
    `takes ${three(lag.frames_to_90)} frames longer than ${whom} to follow 90 % of a light change`,
    `${three(low ?? 0)} to ${three(high ?? 0)} frames, 95 %`,
  ];
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
