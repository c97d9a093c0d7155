import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link } from "react-router";
import { enginesQuery, scenesQuery, undescribedQuery } from "../../api/queries";

/** From an empty installation to a first answer: an engine that can be called, a scene or renders, a question. */
export function FirstSteps() {
  const engines = useQuery(enginesQuery).data?.engines;
  const scenes = useQuery(scenesQuery).data?.scenes;
  const without = useQuery(undescribedQuery).data?.map((each) => each.place) ?? [];
  const callable = engines?.filter((engine) => !engine.missing) ?? [];
  const ready = callable.length > 0 && (scenes?.length ?? 0) > 0;
  return (
    <ol className="mt-6 max-w-[52rem] border-edge border-t" aria-label="First steps">
      <Step
        number={1}
        title="An engine that can be called"
        done={engines === undefined ? null : callable.length > 0}
        told={
          callable.length > 0
            ? `${listed(callable.map((each) => each.title))} can be called on this machine.`
            : "None can be called on this machine yet. Describe one in a file, or correct what is wrong with it."
        }
      >
        <Link to="/engines" className="act inline-flex items-center">
          {callable.length > 0 ? "Test one, or add your own" : "Engines"}
        </Link>
      </Step>
      <Step
        number={2}
        title="A scene, or renders that you have"
        done={scenes === undefined ? null : scenes.length > 0}
        told={
          scenes && scenes.length > 0
            ? `${listed(scenes.map((each) => each.title))} can be rendered.`
            : without.length > 0
              ? `${listed(without)} ${without.length > 1 ? "are" : "is"} in the scenes folder and not described yet; a description is proposed on the screen of scenes.`
              : "No scene yet. Put one into the scenes folder, or bring in renders made elsewhere."
        }
      >
        <span className="flex gap-2">
          <Link to="/scenes" className="act inline-flex items-center">
            Scenes
          </Link>
          <Link to="/imports" className="act inline-flex items-center">
            Bring in renders
          </Link>
        </span>
      </Step>
      <Step
        number={3}
        title="A question"
        done={false}
        told="Such as: is this setting worth its time? How many samples are enough? Which engine? A small plan answers within minutes."
      >
        <Link
          to="/studies/new"
          className="act inline-flex items-center"
          data-kind={ready ? "main" : undefined}
        >
          Ask it
        </Link>
      </Step>
    </ol>
  );
}

function Step({
  number,
  title,
  done,
  told,
  children,
}: {
  number: number;
  title: string;
  done: boolean | null;
  told: string;
  children: ReactNode;
}) {
  return (
    <li className="grid grid-cols-[2rem_1fr_auto] items-center gap-4 border-line border-b py-4">
      <span className="text-center font-semibold text-lg text-soft">{number}</span>
      <span>
        <span className="block font-semibold">
          {title}
          {done ? <span className="font-normal text-good"> is there</span> : null}
        </span>
        <span className="block text-soft">{done === null ? "Looking …" : told}</span>
      </span>
      {children}
    </li>
  );
}

function listed(names: string[]): string {
  const shown = names.slice(0, 4);
  const more = names.length - shown.length;
  if (more > 0) return `${shown.join(", ")} and ${more} more`;
  const last = shown.pop() ?? "";
  return shown.length > 0 ? `${shown.join(", ")} and ${last}` : last;
}
