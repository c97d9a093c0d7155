import { settingValue } from "../../parts/format";
import { typed } from "./draft";
import type { Kept, Scalar, Setting } from "./kept";
import { LevelsCell } from "./LevelsCell";
import { settingChoices } from "./subjects";
import type { Vary } from "./useVary";
import { VaryTable } from "./VaryTable";

/** The control's settings, and beside them the levels of those that the plan varies. */
export function SettingsTable({
  title,
  settings,
  draft,
  problems,
  vary,
  onChange,
}: {
  title: string;
  settings: Setting[];
  draft: Kept;
  problems: Record<string, string[]>;
  vary: Vary;
  onChange: (change: Partial<Kept>) => void;
}) {
  if (settings.length === 0) return null;
  return (
    <VaryTable title={title}>
      {settings.map((setting) => {
        const value = (draft.settings[setting.name] ?? setting.default) as Scalar;
        const levels = vary.levels(setting.name);
        return (
          <tr key={setting.name} data-setting={setting.name}>
            <th scope="row" className="text-left font-normal">
              {setting.title}
              {setting.unit ? <span className="text-soft"> ({setting.unit})</span> : null}
              <p className="max-w-md text-soft text-sm">{setting.about}</p>
              {levels ? <Consequences setting={setting} /> : null}
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
                    onChange({
                      settings: { ...draft.settings, [setting.name]: setting.default as Scalar },
                    })
                  }
                >
                  back to {settingValue(setting.default)}
                </button>
              ) : null}
            </td>
            <td>
              <LevelsCell
                title={setting.title}
                levels={levels}
                choices={settingChoices(setting, value)}
                single={vary.single}
                problems={vary.problems(setting.name)}
                onVary={() => vary.begin(setting.name)}
                onChange={(next) => vary.change(setting.name, next)}
                onKeep={() => vary.end(setting.name)}
              />
            </td>
          </tr>
        );
      })}
    </VaryTable>
  );
}

/** Kinds whose values are texts: numbers or words by commas. */
const WRITTEN: readonly Setting["kind"][] = ["text", "colour", "vector", "list"];

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
      ) : WRITTEN.includes(setting.kind) ? (
        <input
          className="field w-40"
          aria-label={label}
          aria-invalid={invalid}
          value={String(value)}
          onChange={(event) => onChange(event.target.value)}
        />
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
      {setting.kind !== "choice" && setting.kind !== "switch" && setting.kind !== "text" ? (
        <p className="text-soft text-xs">{setting.range_in_words}</p>
      ) : null}
      {problem ? <p className="text-fault text-sm">{problem}</p> : null}
    </>
  );
}
