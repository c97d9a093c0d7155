/** A choice among a few, by value and title. */
export function Choice(props: {
  label: string;
  /** Whether the label is only for those who do not see it. */
  silent?: boolean;
  value: string;
  choices: readonly (readonly [string, string])[];
  onChoose: (value: string) => void;
}) {
  return (
    <label className="flex items-center gap-1.5">
      <span className={props.silent ? "sr-only" : ""}>{props.label}</span>
      <select
        className={`border border-edge bg-field py-0.5 ${props.silent ? "w-40" : "max-w-44"}`}
        value={props.value}
        onChange={(event) => props.onChoose(event.target.value)}
      >
        {props.choices.map(([value, title]) => (
          <option key={value} value={value}>
            {title}
          </option>
        ))}
      </select>
    </label>
  );
}
