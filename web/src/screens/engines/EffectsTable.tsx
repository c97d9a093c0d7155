import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { useState } from "react";
import { Link } from "react-router";
import { api, body, type Schema } from "../../api/client";
import { DialogBox } from "../../parts/DialogBox";
import { settingValue } from "../../parts/format";
import { Labelled } from "../../parts/Labelled";
import { Notice } from "../../parts/Notice";
import { useRemoval } from "../../parts/Undo";

type Data = Schema["Engines"];
type Engine = Schema["Engine"];
type Cell = { engine: Engine; effect: Schema["EffectName"] };
const WORDS = { yes: "yes", partly: "partly", no: "no" } as const;

/** Engine × effect: yes, partly, no, not known; a cell opens to how to switch it on, limits, and what shows it. */
export function EffectsTable({ data }: { data: Data }) {
  const [open, setOpen] = useState<Cell | null>(null);
  return (
    <>
      <table className="table-plain mt-4 w-full" aria-label="Effects">
        <thead>
          <tr>
            <th scope="col">Effect</th>
            {data.engines.map((engine) => (
              <th key={engine.name} scope="col">
                {engine.title}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {data.effects.map((effect) => (
            <tr key={effect.name} data-effect={effect.name}>
              <th scope="row" className="text-left font-normal">
                {effect.title}
              </th>
              {data.engines.map((engine) => (
                <td key={engine.name}>
                  <button type="button" className="text-left" onClick={() => setOpen({ engine, effect })}>
                    <span className="sr-only">
                      {engine.title}, {effect.title}:{" "}
                    </span>
                    <Mark engine={engine} effect={effect.name} />
                    <Switches engine={engine} effect={effect.name} />
                    <Shown data={data} engine={engine} effect={effect.name} />
                  </button>
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-1 text-soft text-sm">
        What the definitions say; a cell opens to how it is switched on, its limits, and the pairs that show
        it.
      </p>
      {open ? <Details data={data} cell={open} onClose={() => setOpen(null)} /> : null}
    </>
  );
}

function found(engine: Engine, effect: string) {
  return engine.effects.find((row) => row.effect === effect);
}

function doesWords(engine: Engine, effect: string): string {
  const row = found(engine, effect);
  return row ? WORDS[row.does] : "not known";
}

/** Full, half, empty, dashed: told by shape and word alike. */
function Mark({ engine, effect }: { engine: Engine; effect: string }) {
  const does = found(engine, effect)?.does;
  return (
    <span className="inline-flex items-center gap-1.5">
      <svg width="11" height="11" viewBox="0 0 11 11" aria-hidden="true">
        <rect
          x="1"
          y="1"
          width="9"
          height="9"
          fill={does === "yes" ? "var(--color-ink)" : "none"}
          stroke={does ? "var(--color-ink)" : "var(--color-soft)"}
          strokeDasharray={does ? undefined : "2 2"}
        />
        {does === "partly" ? <rect x="1" y="5.5" width="9" height="4.5" fill="var(--color-ink)" /> : null}
      </svg>
      <span className={does ? "" : "text-soft"}>{doesWords(engine, effect)}</span>
    </span>
  );
}

function Switches({ engine, effect }: { engine: Engine; effect: string }) {
  const count = Object.keys(found(engine, effect)?.needs ?? {}).length;
  return count > 1 ? <span className="block text-soft text-sm">{count} switches</span> : null;
}

function Shown({ data, engine, effect }: { data: Data; engine: Engine; effect: string }) {
  const count = data.evidence.filter((row) => row.engine === engine.name && row.effect === effect).length;
  return count ? <span className="block text-soft text-sm">shown by {count}</span> : null;
}

function Details({ data, cell, onClose }: { data: Data; cell: Cell; onClose: () => void }) {
  const { engine, effect } = cell;
  const row = found(engine, effect.name);
  const evidence = data.evidence.filter((each) => each.engine === engine.name && each.effect === effect.name);
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: ["engines"] });
  const removal = useRemoval<number>({
    remove: (id) => api.DELETE("/api/effects/evidence/{id}/", { params: { path: { id } } }),
    restore: (id) => api.POST("/api/effects/evidence/{id}/restore/", { params: { path: { id } } }),
    words: () => "The evidence was removed.",
    refresh,
  });
  return (
    <DialogBox
      title={`${effect.title} in ${engine.title}: ${doesWords(engine, effect.name)}`}
      about={effect.about || "Said by the engine's definition."}
      onOpenChange={onClose}
      place="above"
      className="w-[38rem] p-5"
    >
      <dl className="mt-3 grid grid-cols-[auto_1fr] gap-x-4 gap-y-1 text-sm [&>dt]:text-soft">
        <dt>How to switch it on</dt>
        <dd>{row?.switch_on || "not stated"}</dd>
        <dt>Settings it needs</dt>
        <dd>
          {Object.entries(row?.needs ?? {})
            .map(([name, value]) => `${titleOf(engine, name)} ${needed(value)}`)
            .join(" and ") || "none"}
        </dd>
        <dt>Known limits</dt>
        <dd>{row?.limits || "none stated"}</dd>
        <dt>Version tried</dt>
        <dd>{row?.tested || "not stated"}</dd>
      </dl>
      <h2 className="mt-4 font-semibold">Shown by</h2>
      {evidence.length === 0 ? <p className="text-soft text-sm">No pair or run yet.</p> : null}
      <ul className="text-sm">
        {evidence.map((each) => (
          <li key={each.id} className="flex items-baseline gap-3 border-line border-b py-1">
            {each.shown_by === "pair" ? (
              <Link className="quiet-link" to={`/pairs/${each.number}`}>
                Pair {each.number}
              </Link>
            ) : (
              <span>Run {each.number}</span>
            )}
            <span className="flex-1">
              version {each.version}
              {each.note ? `: ${each.note}` : ""}
            </span>
            <button type="button" className="act" onClick={() => removal.take(each.id)}>
              Remove
            </button>
          </li>
        ))}
      </ul>
      {removal.notice}
      <AddEvidence engine={engine} effect={effect.name} onAdded={refresh} />
      <Dialog.Close className="act mt-4">Close</Dialog.Close>
    </DialogBox>
  );
}

function titleOf(engine: Engine, setting: string): string {
  return engine.settings.find((each) => each.name === setting)?.title ?? setting;
}

function needed(value: unknown): string {
  return typeof value === "number" ? `at least ${value}` : settingValue(value);
}

function AddEvidence({
  engine,
  effect,
  onAdded,
}: {
  engine: Engine;
  effect: string;
  onAdded: () => Promise<unknown>;
}) {
  const [pair, setPair] = useState("");
  const [note, setNote] = useState("");
  const number = Number(/(\d+)\D*$/.exec(pair)?.[1] ?? Number.NaN);
  const version = engine.builds.map((build) => build.version).filter(Boolean)[0] ?? "not known";
  const add = useMutation({
    mutationFn: () =>
      body(
        api.POST("/api/effects/evidence/", {
          body: { engine: engine.name, effect, version, shown_by: "pair", number, note },
        }),
      ),
    onSuccess: async () => {
      setPair("");
      setNote("");
      await onAdded();
    },
  });
  return (
    <form
      className="mt-3 flex items-end gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        if (Number.isInteger(number)) add.mutate();
      }}
    >
      <Labelled title="Pair (number or address)">
        <input className="field w-40" value={pair} onChange={(event) => setPair(event.target.value)} />
      </Labelled>
      <Labelled title="What it shows">
        <input
          className="field w-56"
          maxLength={500}
          value={note}
          onChange={(event) => setNote(event.target.value)}
        />
      </Labelled>
      <button type="submit" className="act" disabled={!Number.isInteger(number) || add.isPending}>
        Add
      </button>
      {add.error ? (
        <Notice kind="fault">
          <p>{add.error.message}</p>
        </Notice>
      ) : null}
    </form>
  );
}
