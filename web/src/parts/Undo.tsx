import { useMutation } from "@tanstack/react-query";
import { useEffect } from "react";

/** What was just taken away, with the way back; it stays until the next act or the cross. */
export type Taken = { what: string; restore: () => Promise<unknown> };

export function Undo({ taken, onDone }: { taken: Taken; onDone: () => void }) {
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
