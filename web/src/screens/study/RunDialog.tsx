import { useQuery } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import type { Schema } from "../../api/client";
import { runQuery } from "../../api/queries";
import { DialogBox } from "../../parts/DialogBox";
import { megabytes, seconds, three } from "../../parts/format";
import { Failed, Loading } from "../../parts/Notice";
import { SIDE_TITLE } from "../../parts/Side";

/** Everything kept of one render, with its log. */
export function RunDialog({ id, onClose }: { id: number; onClose: () => void }) {
  const { data, error, refetch } = useQuery(runQuery(id));
  return (
    <DialogBox
      title={data ? titleOf(data) : "Render"}
      titleClass="mb-3 text-xl font-semibold"
      onOpenChange={onClose}
      place="beside"
      className="w-[42rem] p-6"
    >
      {error ? <Failed what="render" error={error} retry={() => void refetch()} /> : null}
      {data ? <Details run={data} /> : error ? null : <Loading what="render" />}
      <Dialog.Close className="act mt-4">Close</Dialog.Close>
    </DialogBox>
  );
}

function titleOf(run: Schema["RunDetail"]): string {
  return run.warm_up ? "Warm-up" : `${SIDE_TITLE[run.side]}, seed ${run.seed}`;
}

function Details({ run }: { run: Schema["RunDetail"] }) {
  const option = run.title && run.title !== "as the control" ? run.title : "";
  const machine = run.machine
    ? `${run.machine.name}: ${run.machine.processor}, ${run.machine.cores} cores, ${three(run.machine.memory_bytes / 1e9)} GB, ${run.machine.system}`
    : "not known";
  const rows: [string, string][] = [
    ...(option ? ([["Option", option]] as [string, string][]) : []),
    ["State", `${run.state}${run.reason ? `. ${run.reason}` : ""}`],
    ["Attempt", String(run.attempt)],
    ["Engine version", run.engine_version || "not known"],
    ["Machine", machine],
    ["Load before", run.load_before == null ? "not known" : three(run.load_before)],
    ["Wall time", seconds(run.wall_seconds)],
    ["of that, getting ready", seconds(run.ready_seconds)],
    ["CPU time", seconds(run.cpu_seconds)],
    ["Quietness", run.quietness == null ? "not known" : three(run.quietness)],
    ["Peak memory", megabytes(run.peak_memory_bytes)],
    [
      "The engine's own structures",
      run.structures_bytes == null ? "not said" : megabytes(run.structures_bytes),
    ],
    ["Quality reached", run.reached == null ? "not said" : String(run.reached)],
    ["Frames a second", run.frames_per_second == null ? "not said" : three(run.frames_per_second)],
    ["Pictures", pictures(run)],
    ["Exit code", run.exit_code == null ? "not known" : String(run.exit_code)],
  ];
  return (
    <>
      <table className="table-plain w-full text-sm">
        <tbody>
          {rows.map(([name, value]) => (
            <tr key={name}>
              <th scope="row" className="w-44 text-left font-normal text-soft">
                {name}
              </th>
              <td>{value}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <Passes run={run} />
      <h3 className="mt-4 mb-1 font-semibold">Command</h3>
      <pre className="overflow-auto whitespace-pre-wrap bg-wash p-2 text-sm">
        {run.command.length > 0 ? run.command.join(" ") : "Not started yet."}
      </pre>
      <h3 className="mt-4 mb-1 font-semibold">Log</h3>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a log longer than its box is scrolled by keyboard */}
      <pre className="max-h-[40vh] overflow-auto bg-wash p-2 text-sm" tabIndex={0}>
        {run.log || "The engine has printed nothing that is kept yet."}
      </pre>
    </>
  );
}

/** The passes that were written, small, each leading to itself through the plain view transform. */
function Passes({ run }: { run: Schema["RunDetail"] }) {
  const passes = Object.entries(run.passes);
  if (passes.length === 0) return null;
  return (
    <>
      <h3 className="mt-4 mb-1 font-semibold">Passes</h3>
      <ul className="flex flex-wrap gap-3 text-sm">
        {passes.map(([name, digest]) => (
          <li key={name}>
            <a
              className="quiet-link"
              href={`/api/pictures/${digest}/shown/`}
              target="_blank"
              rel="noreferrer"
            >
              <img src={`/api/pictures/${digest}/thumbnail/`} alt="" className="w-[120px]" loading="lazy" />
              {name}
            </a>
          </li>
        ))}
      </ul>
    </>
  );
}

function pictures(run: Schema["Run"]): string {
  if (run.let_go_at) return "let go; the figures stay";
  if (run.time_alone) return "none: its time alone is known";
  return run.picture ? "in the store" : "none";
}
