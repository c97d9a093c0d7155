import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schema } from "../../api/client";
import { backupQuery, sessionQuery } from "../../api/queries";
import { bytes, dayAndTime } from "../../parts/format";
import { Notice } from "../../parts/Notice";

/** The copy of the database and all pictures: when the last was made, how far this one is, and one button. */
export function Backup() {
  const mayRun = useQuery(sessionQuery).data?.may_run ?? false;
  const { data } = useQuery(backupQuery);
  const queries = useQueryClient();
  const begin = useMutation({
    mutationFn: () => api.POST("/api/backup/"),
    onSettled: () => queries.invalidateQueries({ queryKey: backupQuery.queryKey }),
  });
  if (!data) return null;
  return (
    <section className="mt-8 border-t border-line pt-4" aria-labelledby="backup">
      <h2 id="backup" className="font-semibold">
        Backup
      </h2>
      <div className="mt-2 flex flex-wrap items-center gap-3">
        <p className="min-w-0 flex-1" aria-live="polite">
          {saidOf(data)} {data.on_another_disk ? "" : SAME_DISK}
        </p>
        {mayRun ? (
          <button
            type="button"
            className="act"
            disabled={data.at_work || begin.isPending}
            onClick={() => begin.mutate()}
          >
            {data.made_at ? "Bring the backup up to date" : "Back up now"}
          </button>
        ) : null}
      </div>
      {data.at_work && data.of > 0 ? (
        <progress className="bar mt-2 w-full" max={data.of} value={data.done} aria-label="Files copied" />
      ) : null}
      {data.problem ? (
        <Notice kind="fault">
          <p>The last backup failed: {data.problem}</p>
        </Notice>
      ) : null}
    </section>
  );
}

const SAME_DISK = "It lies on the same disk as the pictures; MATCHEDPAIR_BACKUP names a folder on another.";

/** One sentence on how the copy stands. */
export function saidOf(row: Schema["Backup"]): string {
  if (row.at_work) {
    return row.of > 0 ? `Copying: ${row.done} of ${row.of} files.` : "Copying: looking at what is new.";
  }
  if (!row.made_at) return "Nothing has been copied yet: the database and all pictures exist once.";
  const added =
    row.new_files === 0 ? "nothing was new" : `${row.new_files} files were new, ${bytes(row.new_bytes)}`;
  return `Everything was copied on ${dayAndTime(row.made_at)}; ${added}.`;
}
