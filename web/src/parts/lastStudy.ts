import { useSyncExternalStore } from "react";
import { remember, remembered } from "./remembered";

type Last = { id: number; question: string };
const KEY = "studies.last";
let last: Last | null = remembered<Last | null>(KEY, null);
const listeners = new Set<() => void>();

/** The study that was looked at last, in this browser; null before there was one. */
export function useLastStudy(): Last | null {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => last,
  );
}

/** From now on this is the study that was looked at last; null forgets it. */
export function lookedAt(study: Last | null): void {
  if (last?.id === study?.id && last?.question === study?.question) return;
  last = study;
  remember(KEY, study);
  for (const listener of listeners) listener();
}
