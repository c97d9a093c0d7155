import { typed } from "./draft";
import type { Kept } from "./kept";
import { LevelsCell } from "./LevelsCell";
import type { Subject } from "./subjects";
import type { Vary } from "./useVary";
import { VaryTable } from "./VaryTable";

/** What besides a setting a plan may vary: engine, build, preset, variant, a quantity, the place. */
export function SubjectsTable({
  title,
  subjects,
  draft,
  problems,
  vary,
  onChange,
}: {
  title: string;
  subjects: Subject[];
  draft: Kept;
  problems: Record<string, string[]>;
  vary: Vary;
  onChange: (change: Partial<Kept>) => void;
}) {
  if (subjects.length === 0) return null;
  return (
    <VaryTable title={title}>
      {subjects.map((subject) => (
        <tr key={subject.name} data-subject={subject.name}>
          <th scope="row" className="text-left font-normal">
            {subject.title}
            {subject.unit ? <span className="text-soft"> ({subject.unit})</span> : null}
            {vary.levels(subject.name) ? <p className="max-w-md text-soft text-sm">{subject.about}</p> : null}
          </th>
          <td>
            <ControlValue subject={subject} draft={draft} problems={problems} onChange={onChange} />
          </td>
          <td>
            <LevelsCell
              title={subject.title}
              levels={vary.levels(subject.name)}
              choices={subject.choices}
              single={vary.single}
              problems={vary.problems(subject.name)}
              onVary={() => vary.begin(subject.name)}
              onChange={(levels) => vary.change(subject.name, levels)}
              onKeep={() => vary.end(subject.name)}
            />
          </td>
        </tr>
      ))}
    </VaryTable>
  );
}

/** A quantity of the scene can be set for all options; the rest is chosen above the table. */
function ControlValue({
  subject,
  draft,
  problems,
  onChange,
}: {
  subject: Subject;
  draft: Kept;
  problems: Record<string, string[]>;
  onChange: (change: Partial<Kept>) => void;
}) {
  const name = subject.name.startsWith("quantity:") ? subject.name.slice("quantity:".length) : "";
  if (!name) {
    return (
      <>
        {subject.control}
        {subject.range ? <p className="text-soft text-xs">{subject.range}</p> : null}
      </>
    );
  }
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
