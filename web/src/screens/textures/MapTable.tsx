import type { Schema } from "../../api/client";
import { three } from "../../parts/format";

type Plan = Schema["TexturePlan"];
type TextureMap = Schema["Map"];
type Decide = (choice: { file: string; role: TextureMap["role"] | null; divisor: number | null }) => void;

/** Every map with its role, what it takes, how large it appears, and what becomes of it. */
export function MapTable({ plan, onDecide }: { plan: Plan; onDecide: Decide }) {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a table longer than its box is scrolled by keyboard
    <div className="mt-4 max-h-[60vh] overflow-auto" tabIndex={0}>
      <table className="table-plain w-full text-sm" aria-label="Maps">
        <thead className="sticky top-0 z-10 bg-paper">
          <tr>
            <th scope="col">
              <span className="sr-only">Picture</span>
            </th>
            <th scope="col">Map</th>
            <th scope="col">Role</th>
            <th scope="col" className="!text-right">
              Size
            </th>
            <th scope="col" className="!text-right">
              Memory, MB
            </th>
            <th scope="col" className="!text-right">
              On screen
            </th>
            <th scope="col">Divide by</th>
            <th scope="col" className="!text-right">
              Becomes
            </th>
            <th scope="col" className="!text-right">
              Then, MB
            </th>
            <th scope="col">Why</th>
          </tr>
        </thead>
        <tbody>
          {plan.maps.map((row) => (
            <MapRow key={row.file} plan={plan} row={row} onDecide={onDecide} />
          ))}
        </tbody>
        <tfoot className="sticky bottom-0 bg-paper">
          <tr>
            <th scope="row" colSpan={4} className="border-line border-b text-left font-semibold">
              In all, with smaller copies
            </th>
            <td className="number font-semibold">{mega(plan.before_bytes)}</td>
            <td colSpan={3} />
            <td className="number font-semibold">{mega(plan.after_bytes)}</td>
            <td />
          </tr>
        </tfoot>
      </table>
    </div>
  );
}

function MapRow({ plan, row, onDecide }: { plan: Plan; row: TextureMap; onDecide: Decide }) {
  const stated = row.role_reason === "stated";
  const changed = row.divisor !== row.proposed;
  const picture = new URLSearchParams({ place: plan.place, file: row.file, of: row.digest.slice(0, 12) });
  return (
    <tr data-map={row.file}>
      <td className="w-12">
        <img
          src={`/api/textures/picture/?${picture}`}
          alt=""
          loading="lazy"
          width={40}
          height={40}
          className="h-10 w-10 object-cover"
        />
      </td>
      <th scope="row" className="text-left font-normal">
        {row.file}
      </th>
      <td>
        <select
          className="field"
          aria-label={`Role of ${row.file}`}
          value={row.role}
          title={row.role_reason}
          onChange={(event) =>
            onDecide({
              file: row.file,
              role: event.target.value as TextureMap["role"],
              divisor: changed ? row.divisor : null,
            })
          }
        >
          {plan.roles.map((role) => (
            <option key={role}>{role}</option>
          ))}
        </select>
        <span className="block text-soft text-xs">{row.role_reason}</span>
      </td>
      <td className="number whitespace-nowrap">
        {row.width} × {row.height}
        <span className="block text-soft text-xs">
          {row.channels === 1 ? "1 channel" : `${row.channels} channels`}, {row.bits} bits
        </span>
      </td>
      <td className="number whitespace-nowrap">{mega(row.bytes)}</td>
      <td className="number whitespace-nowrap">{onScreen(row)}</td>
      <td>
        <select
          className="field"
          aria-label={`Divide ${row.file} by`}
          value={row.divisor}
          onChange={(event) =>
            onDecide({
              file: row.file,
              role: stated ? row.role : null,
              divisor: Number(event.target.value),
            })
          }
        >
          {plan.divisors.map((divisor) => (
            <option key={divisor} value={divisor}>
              {divisor === 1 ? "1, as it is" : divisor}
              {divisor === row.proposed && divisor !== row.divisor ? ", proposed" : ""}
            </option>
          ))}
        </select>
      </td>
      <td className="number whitespace-nowrap">
        {row.to_width} × {row.to_height}
        {row.to_channels === row.channels ? null : (
          <span className="block text-soft text-xs">
            {row.to_channels === 1 ? "1 channel" : `${row.to_channels} channels`}
          </span>
        )}
      </td>
      <td className="number whitespace-nowrap">{mega(row.to_bytes)}</td>
      <td className="max-w-72">
        {changed ? "chosen by hand" : row.reason}
        {stated || changed ? (
          <button
            type="button"
            className="act ml-2"
            onClick={() => onDecide({ file: row.file, role: null, divisor: null })}
            aria-label={`Back to the proposal for ${row.file}`}
          >
            Back to the proposal
          </button>
        ) : null}
      </td>
    </tr>
  );
}

function mega(value: number): string {
  return three(value / 1e6);
}

function onScreen(row: TextureMap) {
  if (row.pixels_across == null) return <span className="text-soft">not known</span>;
  if (row.pixels_across === 0) return <span className="text-soft">not seen directly</span>;
  return (
    <>
      {Math.round(row.pixels_across)} px
      <span className="block text-soft text-xs">{three(row.shown_percent ?? 0)} % of the picture</span>
    </>
  );
}
