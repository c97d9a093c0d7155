import { useCallback, useState } from "react";

/** State that is still there next time, in this browser. */
export function useRemembered<T>(key: string, first: T): [T, (value: T) => void] {
  const name = `matchedpair.${key}`;
  const [value, setValue] = useState<T>(() => read(name, first));
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

function read<T>(name: string, first: T): T {
  try {
    const kept = localStorage.getItem(name);
    return kept === null ? first : (JSON.parse(kept) as T);
  } catch {
    return first;
  }
}
