import { useMutation } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { Link } from "react-router";
import { api, body } from "../../api/client";
import { Notice } from "../../parts/Notice";
import { SideName } from "../../parts/Side";
import type { FrameGroup } from "./groups";

/** Makes a sequence of frames from elsewhere, alone or in step with another, judged by a third where there is one. */
export function MakeSequence({
  groups,
  references,
}: {
  groups: FrameGroup[];
  references: ReadonlySet<number>;
}) {
  const [control, setControl] = useState("");
  const [trial, setTrial] = useState("");
  const [question, setQuestion] = useState("");
  const [judge, setJudge] = useState<string | null>(null);
  const named = groups.find((group) => group.renders.every((render) => references.has(render.id)));
  const one =
    groups.find((group) => group.key === control) ?? groups.find((group) => group !== named) ?? groups[0];
  const other = groups.find((group) => group.key === trial && group !== one);
  const judging = groups.find(
    (group) => group.key === (judge ?? named?.key) && group !== one && group !== other,
  );
  const make = useMutation({
    mutationFn: () =>
      body(
        api.POST("/api/imports/sequence/", {
          body: {
            question: question.trim(),
            control: one?.renders.map((render) => render.id) ?? [],
            trial: other?.renders.map((render) => render.id) ?? [],
            reference: judging?.renders.map((render) => render.id) ?? [],
          },
        }),
      ),
  });
  if (!one) return null;
  const complete = one.complete && (other?.complete ?? true);
  const made = make.data;
  return (
    <form
      className="mt-8"
      aria-label="Make a sequence"
      onSubmit={(event) => {
        event.preventDefault();
        make.mutate();
      }}
    >
      <h2 className="mb-2 font-semibold">Make a sequence</h2>
      <Choice label={<SideName side="control" />} of={groups} value={one.key} onChange={setControl} />
      {groups.length > 1 ? (
        <>
          <Choice
            label={<SideName side="trial" />}
            of={groups.filter((group) => group !== one)}
            value={other?.key ?? ""}
            none="none, measure the control alone"
            onChange={setTrial}
          />
          <Choice
            label={<span className="block text-soft text-sm">Reference</span>}
            of={groups.filter((group) => group !== one && group !== other)}
            value={judging?.key ?? ""}
            none="none"
            onChange={setJudge}
          />
        </>
      ) : null}
      <label className="block">
        <span className="block text-soft text-sm">Question</span>
        <input
          className="field w-full"
          value={question}
          maxLength={300}
          onChange={(event) => setQuestion(event.target.value)}
        />
      </label>
      <button type="submit" className="act mt-3" disabled={!complete || !question.trim() || make.isPending}>
        Make the sequence
      </button>
      {complete ? null : <p className="mt-1 text-soft text-sm">Fill in what is not known of them first.</p>}
      {made ? (
        <div role="status" className="mt-2">
          <Link to={`/studies/${made.study}/motion`} className="quiet-link">
            See it in motion
          </Link>
          {made.left_out.length > 0 ? (
            <ul className="mt-1 text-fault text-sm">
              {made.left_out.map((text) => (
                <li key={text}>Left out: {text}</li>
              ))}
            </ul>
          ) : null}
        </div>
      ) : null}
      {make.error ? (
        <Notice kind="fault">
          <p>{make.error.message}</p>
        </Notice>
      ) : null}
    </form>
  );
}

/** One of the frame groups, or none. */
function Choice(props: {
  label: ReactNode;
  of: FrameGroup[];
  value: string;
  none?: string;
  onChange: (key: string) => void;
}) {
  return (
    <label className="mb-3 block">
      {props.label}
      <select
        className="field mt-0.5 w-full"
        value={props.value}
        onChange={(event) => props.onChange(event.target.value)}
      >
        {props.none ? <option value="">{props.none}</option> : null}
        {props.of.map((group) => (
          <option key={group.key} value={group.key}>
            {group.title} ({frameWords(group)})
          </option>
        ))}
      </select>
    </label>
  );
}

/** How many frames there are, and how many are missing between the first and the last. */
function frameWords({ frames }: FrameGroup): string {
  const [first = 0, last = 0] = [frames[0], frames.at(-1)];
  const missing = last - first + 1 - frames.length;
  const gaps = missing > 0 ? `, ${missing} missing` : "";
  return `${frames.length} frames, ${first} to ${last}${gaps}`;
}
