import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, body, type Schema } from "../../api/client";
import { scenesQuery } from "../../api/queries";
import { Notice } from "../../parts/Notice";
import { useRemembered } from "../../parts/remembered";

const SOON = 700;
const MARKS = { holds: "Holds", broken: "Does not hold", "not known": "Not known" } as const;

/** Some ten tiny renders that find out whether the definition holds what it promises. */
export function EngineTest({ engine }: { engine: Schema["Engine"] }) {
  const key = ["engine test", engine.name];
  const path = { params: { path: { name: engine.name } } };
  const queries = useQueryClient();
  const scenes = useQuery(scenesQuery).data?.scenes ?? [];
  const [scene, setScene] = useRemembered("engines.test.scene", "");
  const chosen = scenes.find((each) => each.name === scene) ?? scenes[0];
  const { data } = useQuery({
    queryKey: key,
    queryFn: () => body(api.GET("/api/engines/{name}/test/", path)),
    refetchInterval: (query) => (query.state.data?.at_work ? SOON : false),
  });
  const refresh = () => queries.invalidateQueries({ queryKey: key });
  const begin = useMutation({
    mutationFn: () =>
      api.POST("/api/engines/{name}/test/", {
        ...path,
        body: { scene: chosen?.name ?? "", view: chosen?.views[0]?.name ?? "" },
      }),
    onSettled: refresh,
  });
  const stop = useMutation({
    mutationFn: () => api.DELETE("/api/engines/{name}/test/", path),
    onSettled: refresh,
  });
  const busy = begin.isPending || (data?.at_work ?? false);
  return (
    <section aria-label="Test of this engine">
      <h2 className="mt-6 mb-1 font-semibold">Test</h2>
      <div className="flex flex-wrap items-center gap-3">
        <label className="flex items-center gap-2">
          <span>with</span>
          <select
            className="field w-48"
            value={chosen?.name ?? ""}
            disabled={busy}
            onChange={(event) => setScene(event.target.value)}
          >
            {scenes.map((each) => (
              <option key={each.name} value={each.name}>
                {each.title}
              </option>
            ))}
          </select>
        </label>
        <button
          type="button"
          className="act"
          disabled={busy || !chosen || engine.missing !== ""}
          onClick={() => begin.mutate()}
        >
          Test this engine
        </button>
        {data?.at_work ? (
          <button type="button" className="act" disabled={stop.isPending} onClick={() => stop.mutate()}>
            Stop
          </button>
        ) : null}
        <p className="text-soft text-sm" role="status">
          {data?.sentence}
        </p>
      </div>
      {begin.error ? (
        <Notice kind="fault">
          <p>{begin.error.message}</p>
        </Notice>
      ) : null}
      {data && data.promises.length > 0 ? <Promises rows={data.promises} /> : null}
    </section>
  );
}

function Promises({ rows }: { rows: Schema["Promise"][] }) {
  return (
    <table className="table-plain mt-2 w-full text-sm" aria-label="What it promises">
      <tbody>
        {rows.map((row) => (
          <tr key={row.name} className="align-top">
            <td className={`w-28 ${row.state === "broken" ? "font-semibold text-fault" : "text-soft"}`}>
              {MARKS[row.state]}
            </td>
            <th scope="row" className="w-72 text-left font-normal">
              {row.title}
            </th>
            <td>
              {row.found}
              {row.state === "holds" ? null : (
                <>
                  {row.cost ? <p className="text-soft">{row.cost}</p> : null}
                  {row.mend ? (
                    <pre className="mt-1 whitespace-pre-wrap font-mono text-xs">{row.mend}</pre>
                  ) : null}
                </>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
