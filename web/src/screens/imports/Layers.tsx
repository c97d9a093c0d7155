import type { Schema } from "../../api/client";
import { Notice } from "../../parts/Notice";
import { useChangeSet } from "./useChangeSet";

/** Which layer of the set's files is the picture, where they have several. */
export function Layers({ set, onChanged }: { set: Schema["ImportSetDetail"]; onChanged: () => void }) {
  const change = useChangeSet(set.id, onChanged);
  if (set.layers.length === 0) return null;
  const known = set.layer === "" || set.layers.includes(set.layer);
  return (
    <div className="mt-3 text-sm">
      <label className="flex flex-wrap items-center gap-2">
        <span>These files have layers; the picture is</span>
        <select
          className="field"
          value={set.layer}
          disabled={change.isPending}
          onChange={(event) => change.mutate({ layer: event.target.value })}
        >
          <option value="">the file's own, or the layer that is called so</option>
          {(known ? set.layers : [set.layer, ...set.layers]).map((each) => (
            <option key={each} value={each}>
              {each}
            </option>
          ))}
        </select>
      </label>
      {change.isPending ? <p role="status">Taking the files in again …</p> : null}
      {change.error ? (
        <Notice kind="fault">
          <p>{change.error.message}</p>
        </Notice>
      ) : null}
    </div>
  );
}
