import { Dialog } from "radix-ui";
import { type KeyboardEvent, useRef, useState } from "react";
import { DialogBox } from "../../parts/DialogBox";
import { NameField } from "../../parts/NameField";
import { Notice } from "../../parts/Notice";
import { useRemembered } from "../../parts/remembered";
import { CHOICES, type Chosen, ChosenName, useSaveVerdict } from "./Verdicts";

/** A verdict by keyboard: a letter for the side, and Enter; the reasons begin with what was measured. */
export function QuickVerdict(props: {
  pair: number;
  sentence: string;
  usualName: string;
  open: boolean;
  onClose: () => void;
}) {
  return (
    <DialogBox
      title="Which to use?"
      titleClass="mb-2 font-semibold"
      open={props.open}
      onOpenChange={props.onClose}
      place="near"
      className="w-[28rem] p-4"
    >
      {props.open ? <Fields {...props} /> : null}
    </DialogBox>
  );
}

function Fields({
  pair,
  sentence,
  usualName,
  onClose,
}: {
  pair: number;
  sentence: string;
  usualName: string;
  onClose: () => void;
}) {
  const [chosen, setChosen] = useState<Chosen | null>(null);
  const [reasons, setReasons] = useState(sentence);
  const [author, setAuthor] = useRemembered("author", usualName);
  const words = useRef<HTMLTextAreaElement>(null);
  const save = useSaveVerdict(pair, onClose);
  const ready = chosen !== null && reasons.trim() !== "" && author.trim() !== "" && !save.isPending;
  const choose = (next: Chosen) => {
    setChosen(next);
    words.current?.focus();
    words.current?.select();
  };
  const typed = (event: KeyboardEvent) => {
    const written = event.target instanceof HTMLTextAreaElement || event.target instanceof HTMLInputElement;
    const found = written ? undefined : CHOICES.find((each) => each[0] === event.key.toLowerCase());
    if (!found) return;
    event.preventDefault();
    choose(found);
  };
  return (
    <form
      onKeyDown={typed}
      onSubmit={(event) => {
        event.preventDefault();
        if (ready) save.mutate({ chosen, reasons, author, marks: {}, less_than_fair: "" });
      }}
    >
      <fieldset className="flex gap-2">
        <legend className="sr-only">Which to use</legend>
        {CHOICES.map((each) => (
          <button
            key={each}
            type="button"
            className="act flex items-center gap-2"
            aria-pressed={chosen === each}
            onClick={() => choose(each)}
          >
            <span className={chosen === each ? "[&_*]:!text-paper" : ""}>
              <ChosenName chosen={each} />
            </span>
            <kbd className="border border-edge px-1 font-sans text-xs">{each.slice(0, 1).toUpperCase()}</kbd>
          </button>
        ))}
      </fieldset>
      <label className="mt-3 block">
        <span className="block text-soft text-sm">Reasons, at first what was measured</span>
        <textarea
          ref={words}
          className="field h-20 w-full"
          value={reasons}
          maxLength={4000}
          onChange={(event) => setReasons(event.target.value)}
          onKeyDown={(event) => {
            if (event.key !== "Enter" || event.shiftKey) return;
            event.preventDefault();
            event.currentTarget.form?.requestSubmit();
          }}
        />
      </label>
      <div className="mt-2 flex items-end gap-2">
        <NameField value={author} onChange={setAuthor} />
        <Dialog.Close className="act">Cancel</Dialog.Close>
        <button type="submit" className="act" data-kind="main" disabled={!ready}>
          Save verdict
        </button>
      </div>
      <p className="mt-1 text-soft text-xs">
        Enter saves it; marks and caveats can be given in the form beside.
      </p>
      {save.error ? (
        <Notice kind="fault">
          <p>The verdict was not saved: {save.error.message}</p>
        </Notice>
      ) : null}
    </form>
  );
}
