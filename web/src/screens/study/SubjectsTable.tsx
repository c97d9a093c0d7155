import type { Schema } from "../../api/client";
import { SideName } from "../../parts/Side";
import { type Draft, type Scalar, typed } from "./draft";
import type { Subject } from "./subjects";
import { TrialCell } from "./TrialCell";

/** What besides a setting the trial may change: engine, build, preset, variant, a quantity of the scene. */
export function SubjectsTable({
  subjects,
  engines,
  draft,
  problems,
  onChange,
}: {
  subjects: Subject[];
  engines: Schema["Engine"][];
  draft: Draft;
  problems: Record<string, string[]>;
  onChange: (change: Partial<Draft>) => void;
}) {
  return (
    <table className="table-plain w-full">
      <thead>
        <tr>
          <th scope="col">Scene and engine</th>
          <th scope="col" className="w-56">
            <SideName side="control" />
          </th>
          <th scope="col" className="w-56">
            <SideName side="trial" />
          </th>
        </tr>
      </thead>
      <tbody>
        {subjects.map((subject) => {
          const tested = draft.under_test === subject.name;
          return (
            <tr key={subject.name} data-subject={subject.name}>
              <th scope="row" className="text-left font-normal">
                {subject.title}
                {subject.unit ? <span className="text-soft"> ({subject.unit})</span> : null}
                {tested ? <p className="max-w-md text-soft text-sm">{subject.about}</p> : null}
              </th>
              <td>
                <ControlValue subject={subject} draft={draft} problems={problems} onChange={onChange} />
              </td>
              <td>
                <TrialCell
                  title={subject.title}
                  tested={tested}
                  onTest={() =>
                    onChange({ under_test: subject.name, trial_value: subject.first, trial_settings: {} })
                  }
                  onKeep={() => onChange({ under_test: "", trial_value: "" })}
                >
                  <TrialValue
                    subject={subject}
                    draft={draft}
                    problem={problems.trial_value?.[0]}
                    onChange={onChange}
                  />
                  {subject.name === "engine" ? (
                    <TrialPreset engines={engines} draft={draft} problems={problems} onChange={onChange} />
                  ) : null}
                </TrialCell>
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

type FieldProps = {
  subject: Subject;
  draft: Draft;
  onChange: (change: Partial<Draft>) => void;
};

/** A quantity of the scene can be set for both sides; the rest is chosen above the table. */
function ControlValue({
  subject,
  draft,
  problems,
  onChange,
}: FieldProps & { problems: Record<string, string[]> }) {
  const name = subject.name.startsWith("quantity:") ? subject.name.slice("quantity:".length) : "";
  if (!name) return <>{subject.control}</>;
  const problem = problems[`quantities.${name}`]?.[0];
  return (
    <>
      <input
        className="field w-28 text-right"
        inputMode="decimal"
        aria-label={`${subject.title}, control`}
        aria-invalid={problem ? true : undefined}
        value={String(draft.quantities?.[name] ?? subject.control)}
        onChange={(event) =>
          onChange({ quantities: { ...draft.quantities, [name]: typed(event.target.value) as number } })
        }
      />
      <p className="text-soft text-xs">{subject.range}</p>
      {problem ? <p className="text-fault text-sm">{problem}</p> : null}
    </>
  );
}

function TrialValue({ subject, draft, problem, onChange }: FieldProps & { problem: string | undefined }) {
  const invalid = problem ? true : undefined;
  const label = `${subject.title}, trial`;
  return (
    <>
      {subject.choices ? (
        <select
          className="field w-44"
          aria-label={label}
          aria-invalid={invalid}
          value={String(draft.trial_value)}
          onChange={(event) => onChange({ trial_value: event.target.value, trial_settings: {} })}
        >
          {subject.choices.map((each) => (
            <option key={each.value} value={each.value}>
              {each.title}
            </option>
          ))}
        </select>
      ) : (
        <input
          className="field w-28 text-right"
          inputMode="decimal"
          aria-label={label}
          aria-invalid={invalid}
          value={String(draft.trial_value)}
          onChange={(event) => onChange({ trial_value: typed(event.target.value) })}
        />
      )}
      {subject.range ? <p className="text-soft text-xs">{subject.range}</p> : null}
      {problem ? <p className="text-fault text-sm">{problem}</p> : null}
    </>
  );
}

/** The other engine at its defaults, or at one of its presets. */
function TrialPreset({
  engines,
  draft,
  problems,
  onChange,
}: {
  engines: Schema["Engine"][];
  draft: Draft;
  problems: Record<string, string[]>;
  onChange: (change: Partial<Draft>) => void;
}) {
  const engine = engines.find((each) => each.name === draft.trial_value);
  const given = JSON.stringify(draft.trial_settings ?? {});
  const preset = engine?.presets.find((each) => JSON.stringify(each.values) === given)?.name ?? "";
  const wrong = Object.entries(problems).find(([name]) => name.startsWith("trial_settings"));
  return (
    <label className="mt-1 block text-sm">
      <span className="block text-soft">Its settings</span>
      <select
        className="field w-44"
        value={preset}
        onChange={(event) => {
          const chosen = engine?.presets.find((each) => each.name === event.target.value);
          onChange({ trial_settings: (chosen?.values ?? {}) as Record<string, Scalar> });
        }}
      >
        <option value="">all at their defaults</option>
        {engine?.presets.map((each) => (
          <option key={each.name} value={each.name}>
            preset {each.title}
          </option>
        ))}
      </select>
      {wrong ? <span className="block text-fault">{wrong[1][0]}</span> : null}
    </label>
  );
}
