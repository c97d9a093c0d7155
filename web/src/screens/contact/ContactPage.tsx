import { useQuery } from "@tanstack/react-query";
import { useDeferredValue, useEffect, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import type { Schema } from "../../api/client";
import { type Arranged, answerQuery, contactQuery, studyQuery } from "../../api/queries";
import { Choice } from "../../parts/Choice";
import { MatchRail } from "../../parts/MatchRail";
import { Failed, Loading } from "../../parts/Notice";
import { useRemembered } from "../../parts/remembered";
import { useTitle } from "../../parts/useTitle";
import { ContactTable } from "./ContactTable";
import { exposureWords, zoneTitle } from "./cells";
import { savePng } from "./savePng";
import { usePairOfCells } from "./usePairOfCells";

type Sheet = Schema["ContactSheet"];

/** A study's pictures in rows and columns; two cells make a pair. */
export function ContactPage() {
  const id = Number(useParams().id);
  const { asked, change } = useArrangement();
  const study = useQuery(studyQuery(id));
  const says = useQuery(answerQuery(id));
  const sheet = useQuery(contactQuery(id, asked));
  const [exposure, setExposure] = useRemembered("contact.exposure", 0);
  const settled = useSettled(exposure);
  const pairing = usePairOfCells(asked.zone);
  useTitle(`Contact sheet: ${study.data?.question ?? ""}`);
  const error = study.error ?? sheet.error;
  if (error && !(study.data && sheet.data))
    return (
      <Failed
        what="contact sheet"
        error={error}
        retry={() => {
          change({ rows: "", columns: "", zone: "", seed: "", at: [] });
          void sheet.refetch();
        }}
      />
    );
  if (!study.data || !sheet.data) return <Loading what="contact sheet" />;
  const { data } = sheet;
  const title = `${study.data.question} ${data.rows.title} by ${data.columns.title.toLowerCase()}, ${exposureWords(settled)}`;
  return (
    <div className="px-6 py-5" data-part="contact-sheet">
      <p className="text-soft">
        <Link to={`/studies/${id}`} className="quiet-link">
          {study.data.question}
        </Link>
      </p>
      <h1 className="mt-0.5 font-semibold text-xl leading-snug print:hidden">{pairing.sentence}</h1>
      {pairing.error ? (
        <p role="alert" className="text-fault">
          {pairing.error.message}
        </p>
      ) : null}
      {says.data?.match_sheet ? (
        <div className="mt-2 flex items-center gap-3 text-sm">
          <MatchRail sheet={says.data.match_sheet} />
          <span className="text-soft">{says.data.match_sheet.summary}</span>
        </div>
      ) : null}
      <Controls
        sheet={data}
        change={change}
        asked={asked}
        exposure={exposure}
        onExposure={setExposure}
        onSave={() => void savePng(data, title, settled)}
      />
      <p className="hidden text-sm print:block">
        {data.rows.title} by {data.columns.title.toLowerCase()}, {exposureWords(settled)}; all through{" "}
        {data.view_transform}, seed {data.seed ?? "none"}.
      </p>
      <ContactTable sheet={data} exposure={settled} pairing={pairing} />
    </div>
  );
}

function Controls(props: {
  sheet: Sheet;
  asked: Arranged;
  change: (to: Partial<Arranged>) => void;
  exposure: number;
  onExposure: (stops: number) => void;
  onSave: () => void;
}) {
  const { sheet, asked, change, exposure } = props;
  const axes = (other: string) =>
    sheet.axes.filter((axis) => axis.name !== other).map((axis) => [axis.name, axis.title] as const);
  const zoned = sheet.rows.name !== "zone" && sheet.columns.name !== "zone";
  return (
    <div className="mt-2 mb-3 flex flex-wrap items-center gap-x-4 gap-y-1.5 text-sm print:hidden">
      <Choice
        label="Rows"
        value={sheet.rows.name}
        choices={axes(sheet.columns.name)}
        onChoose={(rows) => change({ rows, columns: sheet.columns.name })}
      />
      <Choice
        label="Columns"
        value={sheet.columns.name}
        choices={axes(sheet.rows.name)}
        onChoose={(columns) => change({ columns, rows: sheet.rows.name })}
      />
      <button
        type="button"
        className="act !min-h-0"
        onClick={() => change({ rows: sheet.columns.name, columns: sheet.rows.name })}
      >
        Swap
      </button>
      {zoned && sheet.zones.length > 1 ? (
        <Choice
          label="Zone"
          value={sheet.zone}
          choices={sheet.zones.map((zone) => [zone, zoneTitle(zone)])}
          onChoose={(zone) => change({ zone })}
        />
      ) : null}
      {sheet.fixed.map((held) => (
        <Choice
          key={held.name}
          label={held.title}
          value={held.value}
          choices={held.values.map((value) => [value, value])}
          onChoose={(value) =>
            change({
              at: [...asked.at.filter((text) => !text.startsWith(`${held.name}=`)), `${held.name}=${value}`],
            })
          }
        />
      ))}
      {sheet.seeds.length > 1 ? (
        <Choice
          label="Seed"
          value={String(sheet.seed ?? "")}
          choices={sheet.seeds.map((seed) => [String(seed), String(seed)])}
          onChoose={(seed) => change({ seed })}
        />
      ) : null}
      <label className="flex items-center gap-1.5">
        Exposure
        <input
          type="range"
          min={-8}
          max={8}
          step={0.5}
          value={exposure}
          className="w-24 accent-ink"
          onChange={(event) => props.onExposure(Number(event.target.value))}
        />
        <output className="w-16">{exposureWords(exposure)}</output>
      </label>
      <span className="ml-auto flex gap-2">
        <button type="button" className="act !min-h-0" onClick={props.onSave}>
          Save as PNG
        </button>
        <button type="button" className="act !min-h-0" onClick={() => window.print()}>
          Print
        </button>
      </span>
    </div>
  );
}

/** How the sheet is arranged, kept in the address so that it can be sent to others. */
function useArrangement(): { asked: Arranged; change: (to: Partial<Arranged>) => void } {
  const [words, setWords] = useSearchParams();
  const get = (name: string) => words.get(name) ?? "";
  const asked = {
    rows: get("rows"),
    columns: get("columns"),
    zone: get("zone"),
    seed: get("seed"),
    at: words.getAll("at"),
  };
  return {
    asked,
    change: (to) => {
      const next = new URLSearchParams();
      const { at, ...single } = { ...asked, ...to };
      for (const [name, value] of Object.entries(single)) if (value) next.set(name, value);
      for (const text of at) next.append("at", text);
      setWords(next, { replace: true });
    },
  };
}

/** A value once it has rested, so that a slider does not ask the server at every step. */
function useSettled(value: number): number {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const timer = window.setTimeout(() => setSettled(value), 200);
    return () => window.clearTimeout(timer);
  }, [value]);
  return useDeferredValue(settled);
}
