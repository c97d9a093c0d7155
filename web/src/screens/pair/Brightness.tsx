import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, body, type Schema } from "../../api/client";
import { zonesQuery } from "../../api/queries";
import { digits, three } from "../../parts/format";
import { Notice } from "../../parts/Notice";

const UNEVEN = 1.15;

/** With two engines under test: compute the factor that makes a zone as bright, and use it from now on. */
export function Brightness({ pair }: { pair: Schema["Pair"] }) {
  const zones = useQuery(zonesQuery(pair.study.scene_name));
  const here = (zones.data ?? []).filter((zone) => zone.view === pair.study.view && zone.kind === "measure");
  const [zone, setZone] = useState("");
  const queries = useQueryClient();
  const bring = useMutation({
    mutationFn: () =>
      body(
        api.POST("/api/pairs/{id}/brightness/", {
          params: { path: { id: pair.id } },
          body: { zone: zone ? Number(zone) : null },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["engines"] }),
  });
  const engines = pair.match_sheet.conditions.find((condition) => condition.key === "engine");
  if (engines?.state !== "under_test") return null;
  return (
    <section aria-label="Brightness" className="mt-3 border-line border-y py-2">
      <h2 className="font-semibold">Brightness of the two engines</h2>
      {pair.brightness_note ? (
        <p className="text-soft text-sm">{pair.brightness_note}</p>
      ) : (
        <>
          <label className="mt-1 flex items-center gap-2 text-sm">
            On
            <select className="field flex-1" value={zone} onChange={(event) => setZone(event.target.value)}>
              <option value="">the whole picture</option>
              {here.map((each) => (
                <option key={each.id} value={each.id}>
                  zone {each.name}
                </option>
              ))}
            </select>
          </label>
          <button
            type="button"
            className="act mt-2"
            onClick={() => bring.mutate()}
            disabled={bring.isPending}
          >
            Bring brightness together
          </button>
        </>
      )}
      {bring.data ? <Result row={bring.data} /> : null}
      {bring.error ? (
        <div className="mt-2">
          <Notice kind="fault">
            <p>{bring.error.message}</p>
          </Notice>
        </div>
      ) : null}
    </section>
  );
}

function Result({ row }: { row: Schema["Brightness"] }) {
  const sure =
    row.low == null || row.high == null ? "no interval" : `${digits(row.low, 4)} to ${digits(row.high, 4)}`;
  const uneven =
    row.spread_low != null && row.spread_high != null && row.spread_high / row.spread_low > UNEVEN;
  return (
    <div role="status" className="mt-2 text-sm">
      <p>
        Later renders of {row.engine} have their light multiplied by {digits(row.factor, 4)} ({sure}).{" "}
        <Link to="/engines" className="quiet-link">
          See the factors
        </Link>
      </p>
      {uneven ? (
        <p className="mt-1">
          From place to place the two differ by × {three(row.spread_low ?? 1)} to ×{" "}
          {three(row.spread_high ?? 1)}: one factor cannot make them agree everywhere.
        </p>
      ) : null}
    </div>
  );
}
