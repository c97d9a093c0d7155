import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import type { Schema } from "../../api/client";
import { scenesQuery } from "../../api/queries";
import { FigureCell, RatioCell, Refusal } from "./PairFigures";

/** Noise in each measured zone of the view, on both sides. */
export function ZoneFigures({ pair, onZone }: { pair: Schema["Pair"]; onZone: (zone: string) => void }) {
  const scenes = useQuery(scenesQuery);
  const here = scenes.data?.scenes.find((scene) => scene.name === pair.study.scene_name);
  return (
    <section aria-label="Zones" className="mt-3">
      <h2 className="font-semibold">Noise by zone, %</h2>
      {pair.zones.length === 0 ? (
        <p className="text-soft text-sm">
          No zone is measured on this view.{" "}
          {here ? (
            <Link to={`/scenes/${here.name}`} className="quiet-link">
              Draw zones
            </Link>
          ) : null}
        </p>
      ) : (
        <table className="w-full table-fixed text-sm">
          <tbody>
            {pair.zones.map((row) => (
              <ZoneRows key={row.zone} row={row} onZone={onZone} />
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

function ZoneRows({ row, onZone }: { row: Schema["ZoneFigures"]; onZone: (zone: string) => void }) {
  return (
    <>
      <tr>
        <th scope="rowgroup" colSpan={3} className="pt-1 text-left font-normal text-soft">
          <button
            type="button"
            className="quiet-link"
            onClick={() => onZone(row.zone)}
            title={`Look at ${row.zone}`}
          >
            {row.zone}
          </button>
        </th>
      </tr>
      <tr className="align-top [&>td]:text-right" data-zone-figures={row.zone}>
        <td>
          <FigureCell figure={row.control} />
        </td>
        <td>
          <FigureCell figure={row.trial} />
        </td>
        <td>
          <RatioCell ratio={row.ratio} refused={row.refused} />
        </td>
      </tr>
      {row.refused ? <Refusal reason={row.refused} /> : null}
    </>
  );
}
