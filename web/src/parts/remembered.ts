import { useCallback, useState } from "react";

/** State that is still there next time, in this browser. */
export function useRemembered<T>(key: string, first: T): [T, (value: T) => void] {
  const [value, setValue] = useState<T>(() => remembered(key, first));
  const change = useCallback(
    (next: T) => {
      setValue(next);
      remember(key, next);
    },
    [key],
  );
  return [value, change];
}

/** Keep a value in this browser for the next time. */
export function remember<T>(key: string, value: T): void {
  try {
    localStorage.setItem(named(key), JSON.stringify(value));
  } catch {
    // a full or forbidden storage only means that it is not remembered
  }
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
