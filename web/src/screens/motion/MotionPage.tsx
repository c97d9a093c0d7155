import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { api, type Schema } from "../../api/client";
import { askAgain } from "../../api/events";
import { motionQuery, studyQuery } from "../../api/queries";
import { FrameChart, type FrameLine } from "../../charts/FrameChart";
import { trialMark } from "../../charts/marks";
import { Choice } from "../../parts/Choice";
import { Failed, Loading, Notice } from "../../parts/Notice";
import { useRemembered } from "../../parts/remembered";
import { useTitle } from "../../parts/useTitle";
import { Player } from "./Player";
import { marked, SequenceTable } from "./SequenceTable";
import { shrunkTo, useFrames } from "./useFrames";
import { usePlaying } from "./usePlaying";

type Motion = Schema["StudyMotion"];
type Sequence = Schema["Motion"];

/** Sequences of a study: control and trial in step, flicker and boiling by zone, brightness by frame. */
export function MotionPage() {
  const id = Number(useParams().id);
  const [zone, setZone] = useRemembered(`motion.zone.${id}`, "whole");
  const study = useQuery(studyQuery(id));
  const motion = useQuery(motionQuery(id, zone));
  useTitle(`Motion: ${study.data?.question ?? ""}`);
  if (study.error && !study.data)
    return <Failed what="study" error={study.error} retry={() => void study.refetch()} />;
  if (motion.error && !motion.data)
    return (
      <Failed
        what="sequences"
        error={motion.error}
        retry={() => {
          setZone("whole");
          void motion.refetch();
        }}
      />
    );
  if (!study.data || !motion.data) return <Loading what="sequences" />;
  const { data } = motion;
  return (
    <div className="px-6 py-5">
      <p className="text-soft">
        <Link to={`/studies/${id}`} className="quiet-link">
          {study.data.question}
        </Link>
      </p>
      <h1 className="mt-0.5 max-w-[60rem] text-xl font-semibold leading-snug">{data.sentence}</h1>
      {data.sequences.length === 0 ? null : (
        <>
          <div className="mt-2 mb-3 flex flex-wrap items-baseline gap-x-5 gap-y-1 text-sm">
            <Choice
              label="Zone"
              value={zone}
              choices={data.zones.map((name) => [name, name === "whole" ? "Whole picture" : name])}
              onChoose={setZone}
            />
            <p className="text-soft">Measured of {data.note}.</p>
          </div>
          <Sequences study={id} motion={data} />
        </>
      )}
    </div>
  );
}

function Sequences({ study, motion }: { study: number; motion: Motion }) {
  const [chosen, setChosen] = useState("");
  const control = motion.sequences.find((row) => row.control);
  const trials = motion.sequences.filter((row) => !row.control);
  const trial = trials.find((row) => row.key === chosen) ?? trials[0];
  const longest = control ?? trial;
  const frames = (longest?.frames ?? []).map((frame) => frame.frame);
  const playing = usePlaying(frames.length);
  const frame = frames[playing.shown] ?? 0;
  const addressAt = (row: Sequence | undefined, number: number) =>
    addressOf(motion, row?.frames.find((each) => each.frame === number)?.picture ?? "");
  const wanted = frames
    .flatMap((number) => [addressAt(control, number), addressAt(trial, number)])
    .filter(Boolean);
  const size: [number, number] = [motion.width, motion.height];
  const { pictures, failed } = useFrames(wanted, size);
  const all = new Set(wanted).size;
  const scale = shrunkTo(all, size);
  const ready =
    failed > 0
      ? `${failed} pictures are missing`
      : pictures.size < all
        ? `${pictures.size} of ${all} loaded`
        : scale < 1
          ? `shown at ${Math.round(100 * scale)} % of the width, so that all frames fit into memory`
          : "";
  return (
    <>
      <div className="grid grid-cols-[minmax(0,1fr)_25rem] gap-6">
        <Player
          size={size}
          control={pictures.get(addressAt(control, frame))}
          trial={pictures.get(addressAt(trial, frame))}
          playing={playing}
          frame={frame}
          ready={ready}
        />
        <div hidden={motion.sequences.every((row) => row.frames.every((each) => each.mean === null))}>
          {(
            [
              ["mean", "Brightness by frame", "mean light"],
              ["spread_percent", "Distance from the mean of all frames", "%"],
            ] as const
          ).map(([what, label, yTitle]) => (
            <div key={what} className="mb-3">
              <h2 className="font-semibold text-sm">{label}</h2>
              <FrameChart
                label={label}
                yTitle={yTitle}
                frames={frames}
                lines={linesOf(motion.sequences, frames, what)}
                shown={playing.shown}
                onShow={playing.setIndex}
              />
            </div>
          ))}
          {control && trials.length > 0 ? (
            <div>
              <h2 className="font-semibold text-sm">Difference from the control by frame</h2>
              <FrameChart
                label="Difference from the control by frame"
                yTitle="% of the mean light"
                frames={frames}
                lines={differences(control, trials, frames)}
                shown={playing.shown}
                onShow={playing.setIndex}
              />
            </div>
          ) : null}
        </div>
      </div>
      <h2 className="mt-6 mb-1 font-semibold">Sequences</h2>
      <SequenceTable study={study} rows={motion.sequences} chosen={trial?.key ?? ""} onChoose={setChosen} />
      <BadFrames study={study} rows={motion.sequences} />
    </>
  );
}

/** What is missing or bad, and one button that renders only that again. */
function BadFrames({ study, rows }: { study: number; rows: Sequence[] }) {
  const queries = useQueryClient();
  const again = useMutation({
    mutationFn: () => api.POST("/api/studies/{id}/bad-again/", { params: { path: { id: study } } }),
    onSuccess: () => void askAgain(queries, "runs", "measured"),
  });
  const bad = rows.flatMap((row) =>
    row.frames.filter((frame) => frame.state === "bad").map((frame) => ({ ...frame, title: row.title })),
  );
  if (bad.length === 0) return null;
  return (
    <Notice kind="fault">
      <p>
        {bad.length} {bad.length === 1 ? "frame is" : "frames are"} missing or bad.{" "}
        {bad
          .slice(0, 5)
          .map((frame) => `${frame.title}, frame ${frame.frame}: ${frame.reason || "no picture"}`)
          .join(" ")}
      </p>
      <button type="button" className="act mt-1" onClick={() => again.mutate()} disabled={again.isPending}>
        Render only these again
      </button>
      {again.error ? <p>{again.error.message}</p> : null}
    </Notice>
  );
}

function linesOf(rows: Sequence[], frames: number[], what: "mean" | "spread_percent"): FrameLine[] {
  return marked(rows).map(({ row, mark }) => ({
    key: row.key,
    title: row.title,
    mark,
    values: frames.map((number) => row.frames.find((each) => each.frame === number)?.[what] ?? null),
  }));
}

/** How far each trial's mean light lies from the control's in the same frame, in percent. */
function differences(control: Sequence, trials: Sequence[], frames: number[]): FrameLine[] {
  const meanAt = (row: Sequence, number: number) =>
    row.frames.find((each) => each.frame === number)?.mean ?? null;
  return trials.map((row, index) => ({
    key: row.key,
    title: row.title,
    mark: trialMark(index),
    values: frames.map((number) => {
      const [own, beside] = [meanAt(row, number), meanAt(control, number)];
      return own === null || beside === null || beside === 0 ? null : 100 * (own / beside - 1);
    }),
  }));
}

function addressOf(motion: Motion, picture: string): string {
  if (!picture) return "";
  const asked = new URLSearchParams({ transform: motion.view_transform, exposure: "0" });
  return `/api/pictures/${picture}/shown/?${asked}`;
}
