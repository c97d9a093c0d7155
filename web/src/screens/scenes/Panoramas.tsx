import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schema, upload } from "../../api/client";
import { panoramasQuery } from "../../api/queries";
import { FileDrop } from "../../parts/FileDrop";
import { fixed, three } from "../../parts/format";
import { Notice } from "../../parts/Notice";
import { useRemoval } from "../../parts/Undo";

type Panorama = Schema["Panorama"];

/** Light panoramas with their figures. */
export function Panoramas() {
  const { data } = useQuery(panoramasQuery);
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: ["panoramas"] });
  const add = useMutation({
    mutationFn: (file: File) => {
      const form = new FormData();
      form.append("file", file);
      return upload<Panorama>("/api/panoramas/", form);
    },
    onSuccess: refresh,
  });
  const removal = useRemoval<Panorama>({
    remove: (row) => api.DELETE("/api/panoramas/{id}/", { params: { path: { id: row.id } } }),
    restore: (row) => api.POST("/api/panoramas/{id}/restore/", { params: { path: { id: row.id } } }),
    words: (row) => `${row.title} was removed.`,
    refresh,
  });
  return (
    <section className="mt-8" aria-label="Light panoramas">
      <h2 className="mb-1 text-lg font-semibold">Light panoramas</h2>
      {data?.map((row) => (
        <div
          key={row.id}
          className="grid grid-cols-[240px_1fr_auto] gap-5 border-line border-b py-3"
          data-panorama={row.title}
        >
          <img
            src={`/api/pictures/${row.picture}/thumbnail/`}
            alt={`Panorama ${row.title}`}
            className="w-[240px]"
          />
          <div className="text-sm">
            <p className="text-base font-semibold">{row.title}</p>
            <Figures of={row.figures} />
          </div>
          <button type="button" className="act h-fit" onClick={() => removal.take(row)}>
            Remove
          </button>
        </div>
      ))}
      {removal.notice}
      <div className="mt-3 max-w-xl">
        <FileDrop accept=".exr,.hdr" onFiles={([file]) => file && add.mutate(file)}>
          {add.isPending
            ? "Measuring …"
            : "Drop a panorama here, or choose one: EXR or HDR, twice as wide as high."}
        </FileDrop>
      </div>
      {add.error ? (
        <div className="mt-2">
          <Notice kind="fault">
            <p>The panorama was not taken: {add.error.message}</p>
          </Notice>
        </div>
      ) : null}
    </section>
  );
}

function Figures({ of: row }: { of: Schema["PanoramaFigures"] }) {
  const side = row.azimuth_degrees < 0 ? "left" : "right";
  const colour = row.main_light_rgb.map((value) => fixed(value, 2)).join(", ");
  return (
    <>
      <p>
        Brightest to darkest {three(row.brightest_to_darkest)} to 1, {fixed(row.stops, 1)} stops
        {row.clipped ? "; cut off at the top, so the true range is larger" : ""}.
      </p>
      <p>
        Main light {fixed(Math.abs(row.azimuth_degrees), 1)}° to the {side} of the middle,{" "}
        {fixed(row.elevation_degrees, 1)}° above the horizon, {fixed(row.main_light_degrees, 1)}° wide; colour{" "}
        {colour} (linear red, green, blue; the brightest is 1).
      </p>
      <p>It sends {three(100 * row.main_light_share)} % of all light.</p>
    </>
  );
}
