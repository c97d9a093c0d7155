import { useCallback, useState } from "react";

/** State that is still there next time, in this browser. */
export function useRemembered<T>(key: string, first: T): [T, (value: T) => void] {
  const name = named(key);
  const [value, setValue] = useState<T>(() => remembered(key, first));
  const change = useCallback(
    (next: T) => {
      setValue(next);
      try {
        localStorage.setItem(name, JSON.stringify(next));
      } catch {
        // a full or forbidden storage only means that the choice is not remembered
      }
    },
    [name],
  );
  return [value, change];
}

/** The same, read now, wherever it was changed. */
export function remembered<T>(key: string, first: T): T {
  try {
    const kept = localStorage.getItem(named(key));
    return kept === null ? first : (JSON.parse(kept) as T);
  } catch {
    return first;
  }
}

function named(key: string): string {
  return `matchedpair.${key}`;
}
