import { settingValue } from "../../parts/format";
import { SideName } from "../../parts/Side";
import { type Draft, otherValue, type Scalar, type Setting, typed } from "./draft";
import { TrialCell } from "./TrialCell";

/** The control's settings, and beside them the one that the trial changes. */
export function SettingsTable({
  settings,
  draft,
  problems,
  onChange,
}: {
  settings: Setting[];
  draft: Draft;
  problems: Record<string, string[]>;
  onChange: (change: Partial<Draft>) => void;
}) {
  return (
    <table className="table-plain w-full">
      <thead>
        <tr>
          <th scope="col">Setting</th>
          <th scope="col" className="w-56">
            <SideName side="control" />
          </th>
          <th scope="col" className="w-56">
            <SideName side="trial" />
          </th>
        </tr>
      </thead>
      <tbody>
        {settings.map((setting) => {
          const value = draft.settings[setting.name] ?? setting.default;
          const tested = draft.under_test === setting.name;
          return (
            <tr key={setting.name} data-setting={setting.name}>
              <th scope="row" className="text-left font-normal">
                {setting.title}
                {setting.unit ? <span className="text-soft"> ({setting.unit})</span> : null}
                <p className="max-w-md text-soft text-sm">{setting.about}</p>
                {tested ? <Consequences setting={setting} /> : null}
              </th>
              <td>
                <ValueField
                  setting={setting}
                  value={value}
                  label={`${setting.title}, control`}
                  problem={problems[`settings.${setting.name}`]?.[0]}
                  onChange={(next) => onChange({ settings: { ...draft.settings, [setting.name]: next } })}
                />
                {value !== setting.default ? (
                  <button
                    type="button"
                    className="quiet-link text-sm"
                    onClick={() =>
                      onChange({ settings: { ...draft.settings, [setting.name]: setting.default } })
                    }
                  >
                    back to {settingValue(setting.default)}
                  </button>
                ) : null}
              </td>
              <td>
                <TrialCell
                  title={setting.title}
                  tested={tested}
                  onTest={() =>
                    onChange({ under_test: setting.name, trial_value: otherValue(setting, value) })
                  }
                  onKeep={() => onChange({ under_test: "", trial_value: "" })}
                >
                  <ValueField
                    setting={setting}
                    value={draft.trial_value as Scalar}
                    label={`${setting.title}, trial`}
                    problem={problems.trial_value?.[0]}
                    onChange={(next) => onChange({ trial_value: next })}
                  />
                </TrialCell>
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

function Consequences({ setting }: { setting: Setting }) {
  return (
    <div className="mt-1 max-w-md text-sm">
      {setting.too_low ? <p>Too low: {setting.too_low}</p> : null}
      {setting.too_high ? <p>Too high: {setting.too_high}</p> : null}
    </div>
  );
}

function ValueField({
  setting,
  value,
  label,
  problem,
  onChange,
}: {
  setting: Setting;
  value: Scalar;
  label: string;
  problem: string | undefined;
  onChange: (value: Scalar) => void;
}) {
  const invalid = problem ? true : undefined;
  return (
    <>
      {setting.kind === "choice" || setting.kind === "switch" ? (
        <select
          className="field w-40"
          aria-label={label}
          aria-invalid={invalid}
          value={String(value)}
          onChange={(event) =>
            onChange(setting.kind === "switch" ? event.target.value === "true" : event.target.value)
          }
        >
          {(setting.kind === "switch" ? ["true", "false"] : setting.choices).map((choice) => (
            <option key={choice} value={choice}>
              {choice === "true" ? "on" : choice === "false" ? "off" : choice}
            </option>
          ))}
        </select>
      ) : (
        <input
          className="field w-28 text-right"
          inputMode="decimal"
          aria-label={label}
          aria-invalid={invalid}
          value={String(value)}
          onChange={(event) => onChange(typed(event.target.value))}
        />
      )}
      {setting.kind === "integer" || setting.kind === "number" ? (
        <p className="text-soft text-xs">{setting.range_in_words}</p>
      ) : null}
      {problem ? <p className="text-fault text-sm">{problem}</p> : null}
    </>
  );
}
