import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Command } from "cmdk";
import { Dialog } from "radix-ui";
import { useEffect, useState } from "react";
import { useNavigate } from "react-router";
import { api } from "../api/client";
import { askAgain } from "../api/events";
import { enginesQuery, overviewQuery, queueQuery, scenesQuery } from "../api/queries";
import { DialogBox } from "../parts/DialogBox";
import { useLastStudy } from "../parts/lastStudy";

const MOST_STUDIES = 500;

/** One key from anywhere to any study, screen, scene, engine or act: Ctrl+K, or the button. */
export function GoTo() {
  const [open, setOpen] = useState(false);
  useEffect(() => {
    const pressed = (event: KeyboardEvent) => {
      if (event.key.toLowerCase() === "k" && (event.ctrlKey || event.metaKey) && !event.altKey) {
        event.preventDefault();
        setOpen((was) => !was);
      }
    };
    window.addEventListener("keydown", pressed);
    return () => window.removeEventListener("keydown", pressed);
  }, []);
  return (
    <DialogBox
      title="Go to"
      titleClass="sr-only"
      trigger={
        <Dialog.Trigger className="whitespace-nowrap border border-line px-2 text-soft text-sm hover:border-ink">
          Go to <kbd className="font-sans text-xs">Ctrl K</kbd>
        </Dialog.Trigger>
      }
      open={open}
      onOpenChange={setOpen}
      place="above"
      className="w-[44rem]"
    >
      <Entries onDone={() => setOpen(false)} />
    </DialogBox>
  );
}

const SCREENS = [
  ["/", "Studies"],
  ["/studies/new", "New study"],
  ["/queue", "Queue"],
  ["/engines", "Engines"],
  ["/scenes", "Scenes"],
  ["/textures", "Textures"],
  ["/imports", "Imported renders"],
  ["/recipes", "Recipes"],
] as const;
const OF_STUDY = [
  ["", "the study"],
  ["/measures", "measures"],
  ["/curves", "curves"],
  ["/decide", "decide"],
  ["/contact-sheet", "contact sheet"],
  ["/plan", "its plan"],
] as const;

function Entries({ onDone }: { onDone: () => void }) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const overview = useQuery(overviewQuery(true));
  const studies = overview.data?.studies ?? [];
  const scenes = useQuery(scenesQuery).data?.scenes ?? [];
  const engines = useQuery(enginesQuery).data?.engines ?? [];
  const queue = useQuery(queueQuery).data;
  const last = useLastStudy();
  const go = (to: string) => {
    onDone();
    void navigate(to);
  };
  const pause = useMutation({
    mutationFn: (on: boolean) => api.POST("/api/queue/pause/", { body: { on } }),
    onSuccess: () => {
      void askAgain(queries, "runs");
      onDone();
    },
  });
  return (
    <Command label="Go to" loop filter={fits}>
      <Command.Input
        placeholder="A study, a scene, an engine, a screen, something to do"
        className="w-full border-line border-b bg-field px-4 py-2.5 outline-none"
      />
      <Command.List className="max-h-[60vh] overflow-auto p-2">
        <Command.Empty className="px-2 py-3 text-soft">
          {overview.isPending ? "Looking …" : "Nothing is called so."}
        </Command.Empty>
        {last ? (
          <Group title={last.question}>
            {OF_STUDY.map(([path, title]) => (
              <Entry
                key={path}
                value={`this study ${title}`}
                words={title}
                onSelect={() => go(`/studies/${last.id}${path}`)}
              />
            ))}
          </Group>
        ) : null}
        <Group title="Studies">
          {studies.slice(0, MOST_STUDIES).map((row) => (
            <Entry
              key={row.id}
              value={`study ${row.id} ${row.question} ${row.scene} ${row.engines.join(" ")}`}
              words={row.question}
              more={row.sentence}
              onSelect={() => go(`/studies/${row.id}`)}
            />
          ))}
        </Group>
        <Group title="Screens">
          {SCREENS.map(([to, title]) => (
            <Entry key={to} value={`screen ${title}`} words={title} onSelect={() => go(to)} />
          ))}
        </Group>
        <Group title="Scenes">
          {scenes.map((scene) => (
            <Entry
              key={scene.name}
              value={`scene ${scene.title} ${scene.name}`}
              words={scene.title}
              onSelect={() => go(`/scenes/${scene.name}`)}
            />
          ))}
        </Group>
        <Group title="Engines">
          {engines.map((engine) => (
            <Entry
              key={engine.name}
              value={`engine ${engine.title} ${engine.name}`}
              words={engine.title}
              onSelect={() => go("/engines")}
            />
          ))}
        </Group>
        {queue ? (
          <Group title="Do">
            <Entry
              value="queue pause hold go on"
              words={queue.paused ? "Let the queue go on" : "Pause the queue after this render"}
              onSelect={() => pause.mutate(!queue.paused)}
            />
          </Group>
        ) : null}
      </Command.List>
    </Command>
  );
}

/** Every word must stand somewhere in an entry. */
function fits(entry: string, asked: string): number {
  const words = asked.toLowerCase().split(/\s+/).filter(Boolean);
  return words.every((word) => entry.toLowerCase().includes(word)) ? 1 : 0;
}

function Group({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <Command.Group
      heading={title}
      className="[&_[cmdk-group-heading]]:truncate [&_[cmdk-group-heading]]:px-2 [&_[cmdk-group-heading]]:pt-2 [&_[cmdk-group-heading]]:text-soft [&_[cmdk-group-heading]]:text-sm"
    >
      {children}
    </Command.Group>
  );
}

function Entry({
  value,
  words,
  more,
  onSelect,
}: {
  value: string;
  words: string;
  more?: string;
  onSelect: () => void;
}) {
  return (
    <Command.Item
      value={value}
      onSelect={onSelect}
      className="flex cursor-pointer items-baseline gap-3 px-2 py-1 aria-selected:bg-wash aria-selected:outline aria-selected:outline-1 aria-selected:outline-line"
    >
      <span className="shrink-0">{words}</span>
      {more ? <span className="min-w-0 truncate text-soft text-sm">{more}</span> : null}
    </Command.Item>
  );
}
