import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Dialog, ToggleGroup } from "radix-ui";
import { useState } from "react";
import { api, type Schema } from "../../api/client";
import { criteriaQuery } from "../../api/queries";
import { ChangedMeanwhile, isStale, seen } from "../../parts/ChangedMeanwhile";
import { DialogBox } from "../../parts/DialogBox";
import { Notice } from "../../parts/Notice";
import { SIDE_TITLE, SideMark } from "../../parts/Side";

export type Marks = Schema["Verdict"]["marks"];
type Mark = Marks[string];
const MARKS: readonly Mark[] = ["control", "alike", "trial"];
const MARK_TITLE: Record<Mark, string> = { ...SIDE_TITLE, alike: "Alike" };

/** For each criterion which side is better; what is not marked stays open. */
export function MarkFields({ marks, onChange }: { marks: Marks; onChange: (marks: Marks) => void }) {
  const list = useQuery(criteriaQuery).data;
  const criteria = list?.criteria ?? [];
  return (
    <fieldset className="mt-2" data-part="marks">
      <legend className="flex w-full items-baseline justify-between text-soft text-sm">
        Better by criterion
        <EditCriteria criteria={criteria} version={list?.version} />
      </legend>
      {criteria.map((name) => (
        <div key={name} className="flex items-center justify-between border-line border-b py-0.5 text-sm">
          <span id={`criterion ${name}`}>{name}</span>
          <ToggleGroup.Root
            type="single"
            aria-labelledby={`criterion ${name}`}
            className="flex"
            value={marks[name] ?? ""}
            onValueChange={(mark) => {
              const { [name]: _, ...rest } = marks;
              onChange(mark ? { ...rest, [name]: mark as Mark } : rest);
            }}
          >
            {MARKS.map((mark) => (
              <ToggleGroup.Item
                key={mark}
                value={mark}
                aria-label={MARK_TITLE[mark]}
                title={MARK_TITLE[mark]}
                className="-ml-px flex h-6 w-8 items-center justify-center border border-edge bg-field data-[state=on]:bg-[#dedcd4] data-[state=on]:outline-2 data-[state=on]:outline-ink"
              >
                {mark === "alike" ? "=" : <SideMark side={mark} size={9} />}
              </ToggleGroup.Item>
            ))}
          </ToggleGroup.Root>
        </div>
      ))}
    </fieldset>
  );
}

/** A verdict's marks in words. */
export function MarkList({ marks }: { marks: Marks }) {
  const rows = Object.entries(marks);
  if (rows.length === 0) return null;
  return (
    <ul className="mt-0.5 flex flex-wrap gap-x-3 text-sm">
      {rows.map(([name, mark]) => (
        <li key={name} className="flex items-center gap-1">
          {mark === "alike" ? "=" : <SideMark side={mark} size={8} />}
          {name}
          <span className="sr-only">: {MARK_TITLE[mark].toLowerCase()}</span>
        </li>
      ))}
    </ul>
  );
}

function EditCriteria({ criteria, version }: { criteria: readonly string[]; version: string | undefined }) {
  const [open, setOpen] = useState(false);
  return (
    <DialogBox
      title="What verdicts mark"
      about="One a line, in the order they are shown. The list is the same for all pairs; verdicts that were given keep their marks."
      trigger={<Dialog.Trigger className="quiet-link">Change the list</Dialog.Trigger>}
      open={open}
      onOpenChange={setOpen}
      place="middle"
      className="w-[26rem] p-5"
    >
      <ListForm criteria={criteria} version={version} done={() => setOpen(false)} />
    </DialogBox>
  );
}

function ListForm(props: { criteria: readonly string[]; version: string | undefined; done: () => void }) {
  const { criteria, done } = props;
  const [version] = useState(props.version); // of the list that stands in the field
  const queries = useQueryClient();
  const [text, setText] = useState(criteria.join("\n"));
  const save = useMutation({
    mutationFn: (anyway: boolean) =>
      api.PUT("/api/criteria/", {
        body: { criteria: text.split("\n").filter((line) => line.trim()) },
        ...seen(version, anyway),
      }),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["criteria"] });
      done();
    },
  });
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate(false);
      }}
    >
      <textarea
        className="field h-52 w-full"
        aria-label="Criteria, one a line"
        value={text}
        onChange={(event) => setText(event.target.value)}
      />
      <div className="mt-2 flex justify-end gap-2">
        <Dialog.Close className="act">Cancel</Dialog.Close>
        <button type="submit" className="act" data-kind="main" disabled={save.isPending}>
          Save the list
        </button>
      </div>
      <ChangedMeanwhile
        error={save.error}
        what="the list"
        mine={() => save.mutate(true)}
        theirs={() => {
          void queries.invalidateQueries({ queryKey: ["criteria"] });
          done();
        }}
      />
      {save.error && !isStale(save.error) ? (
        <Notice kind="fault">
          <p>The list was not saved: {save.error.message}</p>
        </Notice>
      ) : null}
    </form>
  );
}
