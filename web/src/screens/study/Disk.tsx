import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, type Schema } from "../../api/client";
import { askAgain } from "../../api/events";
import { bytes } from "../../parts/format";

/** What the pictures take on disk, and letting go of those that nothing needs any more. */
export function Disk({ study, disk }: { study: Schema["Study"]; disk: Schema["Disk"] }) {
  const queries = useQueryClient();
  const going = useMutation({
    mutationFn: (what: "warm_ups" | "old" | "maps") =>
      api.POST("/api/studies/{id}/let-go/", { params: { path: { id: study.id } }, body: { what } }),
    onSuccess: () => askAgain(queries, "runs", "measured"),
  });
  const whole = disk.counted + disk.warm_ups + disk.old + disk.maps;
  if (whole === 0) return null;
  return (
    <section aria-label="Disk" className="mt-8 text-sm">
      <p className="flex flex-wrap items-center gap-3">
        <span>The pictures and maps take {bytes(whole)} on disk.</span>
        {disk.warm_ups > 0 ? (
          <button
            type="button"
            className="act"
            onClick={() => going.mutate("warm_ups")}
            disabled={going.isPending}
          >
            Let {bytes(disk.warm_ups)} of warm-ups and pilots go
          </button>
        ) : null}
        {disk.old > 0 ? (
          <button
            type="button"
            className="act"
            onClick={() => going.mutate("old")}
            disabled={going.isPending}
          >
            Let {bytes(disk.old)} that are no longer in the plan go
          </button>
        ) : null}
        {disk.maps > 0 ? (
          <button
            type="button"
            className="act"
            onClick={() => going.mutate("maps")}
            disabled={going.isPending}
          >
            Let {bytes(disk.maps)} of maps go
          </button>
        ) : null}
      </p>
      <p className="mt-1 text-soft">
        Times, checks and measures stay when pictures go; maps are made again when they are asked for.
      </p>
      {going.error ? (
        <p role="alert" className="text-fault">
          {going.error.message}
        </p>
      ) : null}
    </section>
  );
}
