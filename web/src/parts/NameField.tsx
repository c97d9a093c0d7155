/** Who says it. */
export function NameField(props: { value: string; onChange: (value: string) => void; disabled?: boolean }) {
  return (
    <label className="min-w-0 flex-1">
      <span className="block text-soft text-sm">Your name</span>
      <input
        className="field w-full"
        value={props.value}
        maxLength={80}
        disabled={props.disabled}
        onChange={(event) => props.onChange(event.target.value)}
      />
    </label>
  );
}
