import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, Problem, type Schema } from "../../api/client";
import { day } from "../../parts/format";
import { NameField } from "../../parts/NameField";
import { Notice } from "../../parts/Notice";
import { useRemembered } from "../../parts/remembered";
import { SideName } from "../../parts/Side";
import { useRemoval } from "../../parts/Undo";
import { MarkFields, MarkList, type Marks } from "./Criteria";

export type Chosen = Schema["Verdict"]["chosen"];
/** In this order; each is chosen by its first letter where keys are taken. */
export const CHOICES: readonly Chosen[] = ["control", "trial", "neither"];

export function ChosenName({ chosen }: { chosen: Chosen }) {
  return chosen === "neither" ? <span className="font-semibold">Neither</span> : <SideName side={chosen} />;
}

/** Verdicts on a pair, newest first; a withdrawn one can be put back at once. */
export function VerdictList({ verdicts, pair }: { verdicts: Schema["Verdict"][]; pair: number }) {
  const queries = useQueryClient();
  const path = (verdict: Schema["Verdict"]) => ({ params: { path: { id: verdict.id } } });
  const removal = useRemoval<Schema["Verdict"]>({
    remove: (verdict) => api.DELETE("/api/verdicts/{id}/", path(verdict)),
    restore: (verdict) => api.POST("/api/verdicts/{id}/restore/", path(verdict)),
    words: () => "The verdict is withdrawn.",
    refresh: () => queries.invalidateQueries({ queryKey: ["pair", pair] }),
  });
  return (
    <div>
      {removal.notice}
      {removal.error ? (
        <p role="alert" className="text-fault text-sm">
          {removal.error.message}
        </p>
      ) : null}
      {verdicts.length === 0 ? <p className="text-soft">None yet.</p> : null}
      <ul>
        {verdicts.map((verdict) => (
          <li key={verdict.id} className="border-line border-b py-2" data-verdict={verdict.id}>
            <p>
              <ChosenName chosen={verdict.chosen} />
              <span className="text-soft">
                , {verdict.author}, {day(verdict.created_at)}
              </span>
              <button
                type="button"
                className="quiet-link float-right text-sm"
                onClick={() => removal.take(verdict)}
              >
                Withdraw
              </button>
            </p>
            <p className="whitespace-pre-line">{verdict.reasons}</p>
            <MarkList marks={verdict.marks} />
            {verdict.less_than_fair ? (
              <p className="text-sm">
                <span className="text-soft">Caveats: </span>
                <span className="whitespace-pre-line">{verdict.less_than_fair}</span>
              </p>
            ) : null}
            {verdict.older_figures ? (
              <p className="text-fault text-sm">
                Made on older figures, {verdict.older_figures}: “{verdict.sentence}”
              </p>
            ) : null}
          </li>
        ))}
      </ul>
    </div>
  );
}

/** Saves a verdict on a pair, and shows it. */
export function useSaveVerdict(pair: number, onSaved: () => void) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (verdict: Schema["NewVerdictRequest"]) =>
      api.POST("/api/pairs/{id}/verdicts/", { params: { path: { id: pair } }, body: verdict }),
    onSuccess: () => {
      onSaved();
      void queries.invalidateQueries({ queryKey: ["pair", pair] });
      void queries.invalidateQueries({ queryKey: ["overview"] });
    },
  });
}

/** Choose a side and say why; the name is remembered. */
export function VerdictForm({ pair, usualName }: { pair: number; usualName: string }) {
  const [chosen, setChosen] = useState<Chosen | null>(null);
  const [reasons, setReasons] = useState("");
  const [marks, setMarks] = useState<Marks>({});
  const [unfair, setUnfair] = useState("");
  const [author, setAuthor] = useRemembered("author", usualName);
  const save = useSaveVerdict(pair, () => {
    setChosen(null);
    setReasons("");
    setMarks({});
    setUnfair("");
  });
  const missing = missingWords(chosen, reasons, author);
  const fields = save.error instanceof Problem ? Object.entries(save.error.fields) : [];
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        if (chosen && !missing) save.mutate({ chosen, reasons, author, marks, less_than_fair: unfair });
      }}
    >
      <fieldset>
        <legend className="mb-1 text-soft text-sm">Which to use</legend>
        <div className="flex gap-4">
          {CHOICES.map((choice) => (
            <label key={choice} className="flex items-center gap-1.5">
              <input
                type="radio"
                name="chosen"
                className="accent-ink"
                checked={chosen === choice}
                onChange={() => setChosen(choice)}
              />
              <ChosenName chosen={choice} />
            </label>
          ))}
        </div>
      </fieldset>
      <label className="mt-2 block">
        <span className="block text-soft text-sm">Reasons</span>
        <textarea
          className="field h-20 w-full"
          value={reasons}
          maxLength={4000}
          onChange={(event) => setReasons(event.target.value)}
        />
      </label>
      <MarkFields marks={marks} onChange={setMarks} />
      <label className="mt-2 block">
        <span className="block text-soft text-sm">Caveats</span>
        <textarea
          className="field h-12 w-full"
          value={unfair}
          maxLength={4000}
          onChange={(event) => setUnfair(event.target.value)}
        />
      </label>
      <div className="mt-2 flex items-end gap-3">
        <NameField value={author} onChange={setAuthor} />
        <button type="submit" className="act" data-kind="main" disabled={missing !== "" || save.isPending}>
          Save verdict
        </button>
      </div>
      {chosen || reasons ? <p className="mt-1 text-soft text-sm">{missing}</p> : null}
      {save.error ? (
        <Notice kind="fault">
          <p>
            The verdict was not saved:{" "}
            {fields.length ? fields.map(([name, [why]]) => `${name}: ${why}`).join("; ") : save.error.message}
          </p>
        </Notice>
      ) : null}
    </form>
  );
}

function missingWords(chosen: Chosen | null, reasons: string, author: string): string {
  if (!chosen) return "Choose a side, or neither.";
  if (!reasons.trim()) return "Say why.";
  return author.trim() ? "" : "Say who you are.";
}
