import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { useCallback, useMemo, useState } from "react";
import { api, type Schema } from "../../api/client";
import { DialogBox } from "../../parts/DialogBox";
import { day } from "../../parts/format";
import { NameField } from "../../parts/NameField";
import { Notice } from "../../parts/Notice";
import { useRemembered } from "../../parts/remembered";
import { useRemoval } from "../../parts/Undo";
import type { PinBench } from "../../viewer/PairViewer";
import type { Point } from "../../viewer/viewport";

type Pin = Schema["Pin"];

/** A pair's pins and what can be done to them. */
export function usePins(pair: Schema["Pair"], usualName: string) {
  const queries = useQueryClient();
  const [placing, setPlacing] = useState<Point | null>(null);
  const [editing, setEditing] = useState<Pin | null>(null);
  const [chosen, setChosen] = useState<number | null>(null);
  const [author, setAuthor] = useRemembered("author", usualName);
  const refresh = () => queries.invalidateQueries({ queryKey: ["pair", pair.id] });
  const path = (id: number) => ({ params: { path: { id } } });
  const save = useMutation({
    mutationFn: async ({ note, author }: { note: string; author: string }) => {
      if (editing) return api.PATCH("/api/pins/{id}/", { ...path(editing.id), body: { note } });
      return api.POST("/api/pairs/{id}/pins/", {
        ...path(pair.id),
        body: { x: placing?.x ?? 0.5, y: placing?.y ?? 0.5, note, author },
      });
    },
    onSuccess: () => {
      setPlacing(null);
      setEditing(null);
      void refresh();
    },
  });
  const removal = useRemoval<Pin>({
    remove: (pin) => api.DELETE("/api/pins/{id}/", path(pin.id)),
    restore: (pin) => api.POST("/api/pins/{id}/restore/", path(pin.id)),
    words: () => "The pin is removed.",
    refresh,
  });
  const onPlace = useCallback((at: Point) => setPlacing(at), []);
  const bench = useMemo(
    (): PinBench => ({ pins: pair.pins, chosen, onChoose: setChosen, onPlace }),
    [pair.pins, chosen, onPlace],
  );
  return {
    rows: pair.pins,
    bench,
    placing,
    editing,
    setEditing,
    chosen,
    setChosen,
    author,
    setAuthor,
    save,
    removal,
    close: () => {
      setPlacing(null);
      setEditing(null);
      save.reset();
    },
  };
}

export type PinsOfPair = ReturnType<typeof usePins>;

/** All pins in order, each leading to its place; one removed can be put back at once. */
export function PinList({ pins }: { pins: PinsOfPair }) {
  const { rows, removal } = pins;
  return (
    <>
      {removal.notice}
      {removal.error ? (
        <p role="alert" className="text-fault text-sm">
          {removal.error.message}
        </p>
      ) : null}
      {rows.length === 0 ? (
        <p className="text-soft text-sm">None yet. Point at a place in the picture and press P.</p>
      ) : null}
      <ol className="text-sm">
        {rows.map((pin, place) => (
          <li key={pin.id} className="border-line border-b py-1" data-pin-row={pin.id}>
            <button
              type="button"
              className="w-full text-left"
              aria-pressed={pins.chosen === pin.id}
              onClick={() => pins.setChosen(pins.chosen === pin.id ? null : pin.id)}
            >
              <span className="font-semibold">{place + 1}</span>{" "}
              <span className="whitespace-pre-line">{pin.note}</span>
            </button>
            <span className="flex gap-2 text-soft text-xs">
              {pin.author}, {day(pin.created_at)}
              <button type="button" className="quiet-link ml-auto" onClick={() => pins.setEditing(pin)}>
                Change
              </button>
              <button type="button" className="quiet-link" onClick={() => removal.take(pin)}>
                Remove
              </button>
            </span>
          </li>
        ))}
      </ol>
    </>
  );
}

/** The note of a pin that is being put or changed. */
export function PinForm({ pins }: { pins: PinsOfPair }) {
  const open = pins.placing !== null || pins.editing !== null;
  return (
    <DialogBox
      title={pins.editing ? "Change the note" : "A pin here"}
      titleClass="mb-2 font-semibold"
      open={open}
      onOpenChange={pins.close}
      place="near"
      className="w-[26rem] p-4"
    >
      {open ? <Fields pins={pins} /> : null}
    </DialogBox>
  );
}

function Fields({ pins }: { pins: PinsOfPair }) {
  const [note, setNote] = useState(pins.editing?.note ?? "");
  const [author, setAuthor] = useState(pins.editing?.author ?? pins.author);
  const ready = note.trim() !== "" && author.trim() !== "" && !pins.save.isPending;
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        if (!ready) return;
        if (!pins.editing) pins.setAuthor(author);
        pins.save.mutate({ note, author });
      }}
    >
      <label className="block">
        <span className="block text-soft text-sm">What is to be seen here</span>
        <textarea
          className="field h-20 w-full"
          value={note}
          maxLength={2000}
          onChange={(event) => setNote(event.target.value)}
          onKeyDown={(event) => {
            if (event.key === "Enter" && (event.ctrlKey || event.metaKey))
              event.currentTarget.form?.requestSubmit();
          }}
        />
      </label>
      <div className="mt-2 flex items-end gap-2">
        <NameField value={author} onChange={setAuthor} disabled={pins.editing !== null} />
        <Dialog.Close className="act">Cancel</Dialog.Close>
        <button type="submit" className="act" data-kind="main" disabled={!ready}>
          Save pin
        </button>
      </div>
      {pins.save.error ? (
        <Notice kind="fault">
          <p>The pin was not saved: {pins.save.error.message}</p>
        </Notice>
      ) : null}
    </form>
  );
}
