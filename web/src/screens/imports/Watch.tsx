import { useState } from "react";
import { Link } from "react-router";
import type { Schema } from "../../api/client";
import { Notice } from "../../parts/Notice";
import { useChangeSet } from "./useChangeSet";

/** A folder of the server's machine from which renders are taken in as they are made. */
export function Watch({ set, onChanged }: { set: Schema["ImportSetDetail"]; onChanged: () => void }) {
  const [folder, setFolder] = useState("");
  const change = useChangeSet(set.id, onChanged);
  return (
    <div className="mt-3 text-sm">
      {set.watched ? (
        <p className="flex flex-wrap items-center gap-3">
          <span className="min-w-0 break-words">
            Renders that land in {set.watched} come in by themselves
            {set.grows_study ? (
              <>
                {" and join "}
                <Link to={`/studies/${set.grows_study}`} className="link">
                  their study
                </Link>
              </>
            ) : null}
            .
          </span>
          <button
            type="button"
            className="act"
            disabled={change.isPending}
            onClick={() => change.mutate({ watched: "" })}
          >
            Stop watching
          </button>
        </p>
      ) : (
        <details>
          <summary>Watch a folder</summary>
          <form
            className="mt-1 flex items-end gap-3"
            onSubmit={(event) => {
              event.preventDefault();
              change.mutate({ watched: folder.trim() });
            }}
          >
            <label className="min-w-0 flex-1">
              <span className="block text-soft">Folder on the server's machine</span>
              <input
                className="field w-full"
                value={folder}
                maxLength={1000}
                onChange={(event) => setFolder(event.target.value)}
              />
            </label>
            <button type="submit" className="act" disabled={!folder.trim() || change.isPending}>
              Watch it
            </button>
          </form>
        </details>
      )}
      {set.watch_problem ? (
        <Notice kind="fault">
          <p>The folder cannot be read now: {set.watch_problem}</p>
        </Notice>
      ) : null}
      {change.error ? (
        <Notice kind="fault">
          <p>{change.error.message}</p>
        </Notice>
      ) : null}
    </div>
  );
}
