import { Problem } from "../api/client";
import { Notice } from "./Notice";

/** The header with which a change says what its sender saw; none where it is to be taken all the same. */
export function seen(version: string | undefined, anyway = false): { headers?: { "If-Match": string } } {
  return version && !anyway ? { headers: { "If-Match": `"${version}"` } } : {};
}

export function isStale(error: Error | null | undefined): boolean {
  return error instanceof Problem && error.status === 409;
}

/** Somebody else changed it since it was read: what to do with one's own change. */
export function ChangedMeanwhile(props: {
  error: Error | null | undefined;
  what: string;
  mine: () => void;
  theirs: () => void;
}) {
  if (!isStale(props.error)) return null;
  return (
    <div className="mt-2">
      <Notice kind="fault">
        <p>Somebody changed {props.what} since you read it, so yours was not written.</p>
        <p className="mt-2 flex gap-3">
          <button type="button" className="act" onClick={props.theirs}>
            Take theirs
          </button>
          <button type="button" className="act" onClick={props.mine}>
            Write mine all the same
          </button>
        </p>
      </Notice>
    </div>
  );
}
