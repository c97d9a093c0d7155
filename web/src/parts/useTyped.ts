import { useEffect, useState } from "react";

/**
 * What a field shows: what is being typed, however what is kept changes meanwhile; once that is `done`, the same until
 * what is kept changes; else what is kept. `drop` forgets what was typed.
 */
export function useTyped<T>(kept: T) {
  const [typed, setTyped] = useState<{ value: T; before?: { kept: T } } | null>(null);
  const over = typed?.before !== undefined && typed.before.kept !== kept;
  useEffect(() => {
    if (over) setTyped(null);
  }, [over]);
  return {
    value: typed && !over ? typed.value : kept,
    type: (value: T) => setTyped({ value }),
    done: () => setTyped((now) => now && { ...now, before: { kept } }),
    drop: () => setTyped(null),
  };
}
