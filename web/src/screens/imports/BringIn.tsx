import { useEffect, useRef, useState } from "react";
import { api, body, type Schema, upload } from "../../api/client";
import { Notice } from "../../parts/Notice";
import type { Source } from "./sources";

type Render = Schema["ImportedRender"];
const AT_ONCE = 10;

/** Imports files one after the other with progress; it can be stopped, and what came in stays. */
export function BringIn({
  set,
  source,
  table,
  onDone,
}: {
  set: number;
  source: Source;
  /** Of a folder: the table to read beside; empty for none. */
  table: string;
  onDone: () => void;
}) {
  const [done, setDone] = useState(0);
  const [bad, setBad] = useState<Render[]>([]);
  const [trouble, setTrouble] = useState("");
  const stop = useRef(new AbortController());
  const begun = useRef(false);
  const count = source.from === "folder" ? source.names.length : source.pictures.length;

  useEffect(() => {
    if (begun.current) return;
    begun.current = true;
    const note = (rows: Render[]) => {
      setDone((before) => before + rows.length);
      setBad((before) => [...before, ...rows.filter((row) => row.problem)]);
    };
    void (async () => {
      try {
        for await (const rows of taken(set, source, table, stop.current.signal)) note(rows);
        onDone();
      } catch (error) {
        if (stop.current.signal.aborted) onDone();
        else setTrouble(error instanceof Error ? error.message : String(error));
      }
    })();
  }, [set, source, table, onDone]);

  return (
    <section className="mt-4" aria-label="Progress">
      <p role="status">
        {done} of {count} imported{bad.length ? `, ${bad.length} could not be` : ""}
      </p>
      <progress className="bar mt-1 w-96" max={count} value={done} aria-label="Files imported" />
      <ul className="mt-1 text-fault text-sm">
        {bad.slice(-5).map((row) => (
          <li key={row.id}>
            {row.name}: {row.problem}
          </li>
        ))}
      </ul>
      {trouble ? (
        <Notice kind="fault">
          <p>
            Stopped after {done}: {trouble} What was imported is kept.
          </p>
          <button type="button" className="act mt-1" onClick={onDone}>
            Look at what was imported
          </button>
        </Notice>
      ) : (
        <button type="button" className="act mt-2" onClick={() => stop.current.abort()}>
          Stop here
        </button>
      )}
    </section>
  );
}

async function* taken(
  set: number,
  source: Source,
  table: string,
  signal: AbortSignal,
): AsyncGenerator<Render[]> {
  if (source.from === "folder") {
    for (let at = 0; at < source.names.length; at += AT_ONCE) {
      signal.throwIfAborted();
      const names = source.names.slice(at, at + AT_ONCE);
      const wanted = { folder: source.folder, names, table: at === 0 ? table : "" };
      const asked = { params: { path: { id: set } }, body: wanted, signal };
      yield await body(api.POST("/api/imports/{id}/from-folder/", asked));
    }
    return;
  }
  if (source.table) {
    const form = new FormData();
    form.append("file", source.table);
    await upload(`/api/imports/${set}/table/`, form, signal);
  }
  for (const file of source.pictures) {
    signal.throwIfAborted();
    const form = new FormData();
    form.append("file", file);
    yield [await upload<Render>(`/api/imports/${set}/files/`, form, signal)];
  }
}
