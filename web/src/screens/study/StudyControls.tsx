import { useMutation, useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { Link, useNavigate } from "react-router";
import { api, type Schema } from "../../api/client";
import { askAgain } from "../../api/events";
import { Notice } from "../../parts/Notice";
import { useRemoval } from "../../parts/Undo";

/** Start, stop, again, change the plan; and the rarer acts in a menu. */
export function StudyControls({ study, progress }: { study: Schema["Study"]; progress: Schema["Progress"] }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const refresh = () => askAgain(queries, "runs", "measured");
  const params = { params: { path: { id: study.id } } };
  const start = useMutation({
    mutationFn: () => api.POST("/api/studies/{id}/start/", params),
    onSuccess: refresh,
  });
  const stop = useMutation({
    mutationFn: () => api.POST("/api/studies/{id}/stop/", params),
    onSuccess: refresh,
  });
  const pilot = useMutation({
    mutationFn: () => api.POST("/api/studies/{id}/pilot/", params),
    onSuccess: refresh,
  });
  const bad = useMutation({
    mutationFn: () => api.POST("/api/studies/{id}/bad-again/", params),
    onSuccess: refresh,
  });
  const archive = useMutation({
    mutationFn: (on: boolean) => api.POST("/api/studies/{id}/archive/", { ...params, body: { on } }),
    onSuccess: refresh,
  });
  const removal = useRemoval<Schema["Study"]>({
    remove: () => api.POST("/api/studies/{id}/remove/", { ...params, body: { on: true } }),
    restore: () => api.POST("/api/studies/{id}/remove/", { ...params, body: { on: false } }),
    words: () => "The study is removed. It is kept for a week and can be put back.",
    refresh,
  });
  const errors = [start, stop, pilot, bad, archive].flatMap((each) => (each.error ? [each.error] : []));
  const error = errors[0] ?? removal.error;
  const busy = progress.state === "running";
  const ours = !study.from_elsewhere;
  return (
    <>
      {busy || progress.besides_open > 0 ? (
        <button type="button" className="act" onClick={() => stop.mutate()} disabled={stop.isPending}>
          Stop all
        </button>
      ) : null}
      {ours && !busy && progress.state !== "done" ? (
        <button
          type="button"
          className="act"
          data-kind={progress.state === "planned" ? "main" : undefined}
          onClick={() => start.mutate()}
          disabled={start.isPending}
        >
          {progress.state === "planned" ? `Run ${progress.planned} renders` : "Run the rest"}
        </button>
      ) : null}
      {ours && progress.bad > 0 ? (
        <button type="button" className="act" onClick={() => bad.mutate()} disabled={bad.isPending}>
          Run the {progress.bad} bad {progress.bad === 1 ? "one" : "ones"} again
        </button>
      ) : null}
      {study.plannable ? (
        <Link to={`/studies/${study.id}/plan`} className="act flex items-center">
          Change the plan
        </Link>
      ) : null}
      <DropdownMenu.Root>
        <DropdownMenu.Trigger className="act">More</DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            align="start"
            sideOffset={4}
            className="z-40 flex min-w-52 flex-col border border-edge bg-paper py-1"
          >
            {study.plannable ? (
              <>
                <Item act={() => void navigate(`/studies/${study.id}/search`)}>
                  Search for the least settings
                </Item>
                <Item act={() => pilot.mutate()}>Try a pilot: one tiny render each</Item>
                <Item act={() => void navigate(`/studies/plan?copy=${study.id}`)}>Copy</Item>
              </>
            ) : null}
            <Item act={() => window.location.assign(`/api/studies/${study.id}/report/`)}>Report</Item>
            <Item act={() => window.location.assign(`/api/studies/${study.id}/bundle.zip`)}>
              Save as a study bundle
            </Item>
            <Item act={() => archive.mutate(study.archived_at == null)}>
              {study.archived_at == null ? "Archive" : "Take out of the archive"}
            </Item>
            <Item act={() => removal.take(study)}>Remove</Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {study.archived_at ? <span className="text-soft">Archived</span> : null}
      {removal.notice}
      {study.removed_at && !removal.notice ? <Removed id={study.id} onDone={refresh} /> : null}
      {error ? (
        <Notice kind="fault">
          <p>{error.message}</p>
        </Notice>
      ) : null}
    </>
  );
}

function Item({ act, children }: { act: () => void; children: string }) {
  return (
    <DropdownMenu.Item
      className="cursor-pointer px-3 py-1 outline-none data-[highlighted]:bg-wash"
      onSelect={act}
    >
      {children}
    </DropdownMenu.Item>
  );
}

function Removed({ id, onDone }: { id: number; onDone: () => void }) {
  const back = useMutation({
    mutationFn: () =>
      api.POST("/api/studies/{id}/remove/", { params: { path: { id } }, body: { on: false } }),
    onSuccess: onDone,
  });
  return (
    <span className="flex items-center gap-2 text-fault">
      Removed
      <button type="button" className="act text-ink" onClick={() => back.mutate()}>
        Put it back
      </button>
    </span>
  );
}
