import { useState } from "react";
import type { Schema } from "../../api/client";
import { Notice } from "../../parts/Notice";
import { PatternField, useProposed, useTried } from "./PatternField";
import { useChangeSet } from "./useChangeSet";

/** How the names of the files that came in are made; read anew when it is changed. */
export function Names({ set, onChanged }: { set: Schema["ImportSetDetail"]; onChanged: () => void }) {
  const [open, setOpen] = useState(false);
  if (set.renders.length === 0) return null;
  return (
    <details className="mt-3" onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary>How the file names are made: {set.pattern ? <code>{set.pattern}</code> : "not said"}</summary>
      {open ? <Change set={set} onChanged={onChanged} /> : null}
    </details>
  );
}

function Change({ set, onChanged }: { set: Schema["ImportSetDetail"]; onChanged: () => void }) {
  const names = set.renders.map((render) => render.name);
  const change = useChangeSet(set.id, onChanged);
  const [typed, setTyped] = useState<string | null>(set.pattern || null);
  const proposed = useProposed(names, set.pattern ?? "", false);
  const pattern = typed ?? proposed ?? "";
  const tried = useTried(names, pattern);
  return (
    <form
      className="mt-2"
      onSubmit={(event) => {
        event.preventDefault();
        change.mutate({ pattern });
      }}
    >
      <PatternField
        names={names}
        pattern={pattern}
        tried={tried}
        proposed={typed === null}
        onChange={setTyped}
      />
      <button
        type="submit"
        className="act mt-2"
        disabled={change.isPending || !tried.fits || pattern === (set.pattern ?? "")}
      >
        Read the names by it
      </button>
      {change.error ? <Notice kind="fault">{change.error.message}</Notice> : null}
    </form>
  );
}
