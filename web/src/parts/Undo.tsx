import { useMutation } from "@tanstack/react-query";
import { type ReactNode, useEffect, useState } from "react";

type Taken = { what: string; restore: () => Promise<unknown> };

/** Takes rows away and offers the way back, by button or Ctrl+Z, until the next one is taken. */
export function useRemoval<Row>(acts: {
  remove: (row: Row) => Promise<unknown>;
  restore: (row: Row) => Promise<unknown>;
  /** What is said once it is gone. */
  words: (row: Row) => string;
  /** Called after either. */
  refresh: () => unknown;
}): { take: (row: Row) => void; notice: ReactNode; error: Error | null } {
  const [gone, setGone] = useState<Taken | null>(null);
  const removing = useMutation({
    mutationFn: acts.remove,
    onSuccess: (_, row) => {
      setGone({ what: acts.words(row), restore: () => acts.restore(row) });
      void acts.refresh();
    },
  });
  const back = () => {
    setGone(null);
    void acts.refresh();
  };
  return {
    take: removing.mutate,
    notice: gone ? <Undo taken={gone} onDone={back} /> : null,
    error: removing.error,
  };
}

function Undo({ taken, onDone }: { taken: Taken; onDone: () => void }) {
  const back = useMutation({ mutationFn: taken.restore, onSuccess: onDone });
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if ((event.ctrlKey || event.metaKey) && event.key === "z") back.mutate();
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [back.mutate]);
  return (
    <div role="status" className="flex items-center gap-3 border-soft border-l-4 py-1 pl-3 text-sm">
      <span>{taken.what}</span>
      <button type="button" className="act" onClick={() => back.mutate()} disabled={back.isPending}>
        Put it back
      </button>
      {back.error ? <span className="text-fault">{back.error.message}</span> : null}
    </div>
  );
}
