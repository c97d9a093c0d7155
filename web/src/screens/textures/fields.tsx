import { Labelled } from "../../parts/Labelled";

type Named = { name: string; title: string };
export type Size = { width: string; height: string };

/** One of some named things, by its title. */
export function NamedField(props: {
  title: string;
  rows: Named[];
  value: string;
  onChange: (name: string) => void;
}) {
  return (
    <Labelled title={props.title}>
      <select className="field" value={props.value} onChange={(event) => props.onChange(event.target.value)}>
        {props.rows.map((row) => (
          <option key={row.name} value={row.name}>
            {row.title}
          </option>
        ))}
      </select>
    </Labelled>
  );
}

/** Width and height in pixels, as they are typed. */
export function SizeFields(props: { title?: string; value: Size; onChange: (size: Size) => void }) {
  return (
    <>
      {(["width", "height"] as const).map((side) => (
        <Labelled key={side} title={side === "width" ? (props.title ?? "Width") : "Height"}>
          <input
            className="field w-20 text-right"
            inputMode="numeric"
            value={props.value[side]}
            onChange={(event) => props.onChange({ ...props.value, [side]: event.target.value })}
          />
        </Labelled>
      ))}
    </>
  );
}
