import { Fragment, useState } from "react";
import { grouped } from "../../parts/grouped";
import { typedLevels } from "./draft";
import type { Level } from "./kept";
import type { Choice } from "./subjects";

/** The trial's side of a row: its level or levels while it is varied, else the button that puts it there. */
export function LevelsCell({
  title,
  levels,
  choices,
  single,
  problems,
  onVary,
  onChange,
  onKeep,
}: {
  title: string;
  /** The levels besides the control's; null while the thing is held. */
  levels: Level[] | null;
  choices?: Choice[] | undefined;
  /** Whether the plan takes one level only. */
  single: boolean;
  problems: string[];
  onVary: () => void;
  onChange: (levels: Level[]) => void;
  onKeep: () => void;
}) {
  if (levels === null) {
    return (
      <button
        type="button"
        className="act"
        aria-label={`${single ? "Change this for the trial" : "Vary this"}: ${title}`}
        onClick={onVary}
      >
        {single ? "Change this" : "Vary this"}
      </button>
    );
  }
  const label = single ? `${title}, trial` : `${title}, levels`;
  return (
    <>
      {choices ? (
        <Choices {...{ label, choices, levels, single, onChange }} invalid={problems.length > 0} />
      ) : (
        <Typed {...{ label, levels, single, onChange }} invalid={problems.length > 0} />
      )}
      {problems.map((problem) => (
        <p key={problem} className="text-fault text-sm">
          {problem}
        </p>
      ))}
      <button type="button" className="quiet-link block text-sm" onClick={onKeep}>
        keep it the same
      </button>
    </>
  );
}

type Props = {
  label: string;
  levels: Level[];
  single: boolean;
  invalid: boolean;
  onChange: (levels: Level[]) => void;
};

function Choices({ label, choices, levels, single, invalid, onChange }: Props & { choices: Choice[] }) {
  const there = (level: Level) => levels.some((each) => same(each, level));
  if (single) {
    return (
      <select
        className="field w-48"
        aria-label={label}
        aria-invalid={invalid || undefined}
        value={choices.find((each) => there(each.level))?.id ?? ""}
        onChange={(event) => {
          const chosen = choices.find((each) => each.id === event.target.value);
          if (chosen) onChange([chosen.level]);
        }}
      >
        {choices.map((each) => (
          <option key={each.id} value={each.id}>
            {each.title}
          </option>
        ))}
      </select>
    );
  }
  const turn = (each: Choice, on: boolean) =>
    onChange(
      on
        ? choices.filter((row) => there(row.level) || row === each).map((row) => row.level)
        : levels.filter((level) => !same(level, each.level)),
    );
  const groups = grouped(choices, (each) => each.of ?? "");
  return (
    <fieldset
      aria-label={label}
      className={groups.size > 1 ? "grid grid-cols-[auto_1fr] gap-x-3 text-sm" : ""}
    >
      {[...groups].map(([title, row]) => (
        <Fragment key={title}>
          {groups.size > 1 ? <span className="font-semibold">{title}</span> : null}
          <span className={groups.size > 1 ? "flex flex-wrap gap-x-3" : ""}>
            {row.map((each) => (
              <label key={each.id} className="flex items-center gap-1.5">
                <input
                  type="checkbox"
                  aria-label={each.title}
                  checked={there(each.level)}
                  onChange={(event) => turn(each, event.target.checked)}
                />
                {groups.size > 1 ? each.short : each.title}
              </label>
            ))}
          </span>
        </Fragment>
      ))}
    </fieldset>
  );
}

/** Levels as text; what is typed is kept as it is, however it is read. */
function Typed({ label, levels, single, invalid, onChange }: Props) {
  const plain = levels.map((level) => String(level.value)).join(single ? "" : "  ");
  const [text, setText] = useState(plain);
  const read = JSON.stringify(single ? [text.trim()] : typedLevels(text).map((level) => String(level.value)));
  const meant = JSON.stringify(levels.map((level) => String(level.value)));
  const shown = read === meant ? text : plain;
  return (
    <input
      className={`field text-right ${single ? "w-28" : "w-full"}`}
      inputMode={single ? "decimal" : "text"}
      aria-label={label}
      aria-invalid={invalid || undefined}
      value={shown}
      placeholder={single ? "" : "4  8  16"}
      onChange={(event) => {
        setText(event.target.value);
        const found = typedLevels(event.target.value);
        onChange(single && found.length !== 1 ? [{ value: event.target.value, settings: null }] : found);
      }}
    />
  );
}

function same(one: Level, other: Level): boolean {
  return (
    String(one.value) === String(other.value) &&
    JSON.stringify(sorted(one.settings)) === JSON.stringify(sorted(other.settings))
  );
}

function sorted(settings: Level["settings"]): [string, unknown][] {
  return Object.entries(settings ?? {}).sort(([one], [other]) => (one < other ? -1 : 1));
}
