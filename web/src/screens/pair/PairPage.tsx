import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useCallback, useMemo, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { Problem, type Schema } from "../../api/client";
import { pairQuery, sessionQuery } from "../../api/queries";
import { MatchRail } from "../../parts/MatchRail";
import { Failed, Loading, Notice } from "../../parts/Notice";
import { SIDE_TITLE } from "../../parts/Side";
import { useTitle } from "../../parts/useTitle";
import { type Opening, PairViewer } from "../../viewer/PairViewer";
import type { Viewed } from "../../viewer/viewed";
import { BesideChoice, noteOf, useBeside } from "./Beside";
import { BlindBox } from "./BlindBox";
import { Brightness } from "./Brightness";
import { ComparisonFigures } from "./ComparisonFigures";
import { MakeReference } from "./MakeReference";
import { MendableSheet } from "./Mend";
import { PairFigures } from "./PairFigures";
import { PinForm, PinList, type PinsOfPair, usePins } from "./Pins";
import { placesOf } from "./places";
import { QuickVerdict } from "./QuickVerdict";
import { VerdictForm, VerdictList } from "./Verdicts";
import { ZoneFigures } from "./ZoneFigures";

/** A sentence of so many letters takes two lines of the window away from the picture. */
const LONG = 135;
const EXPORTS = {
  zip: "Everything with the EXR pictures (zip)",
  json: "Conditions and figures (JSON)",
  csv: "Runs (CSV)",
} as const;

/** The pair: pictures at two thirds of the window, figures, match sheet and verdict beside them. */
export function PairPage() {
  const id = Number(useParams().id);
  const pair = useQuery(pairQuery(id));
  const session = useQuery(sessionQuery);
  useTitle(`Pair: ${pair.data?.study.question ?? ""}`);
  if (pair.error && !pair.data)
    return <Failed what="pair" error={pair.error} retry={() => void pair.refetch()} />;
  if (!pair.data || !session.data) return <Loading what="pair" />;
  const { data } = pair;
  return (
    <div className="flex h-full flex-col">
      <div className="flex shrink-0 items-baseline gap-5 border-line border-b px-3.5 py-1">
        <h1 className={`font-semibold ${data.sentence.length > LONG ? "text-sm" : ""}`}>{data.sentence}</h1>
        <Link to={`/studies/${data.study.id}`} className="quiet-link ml-auto whitespace-nowrap">
          Back to the study
        </Link>
      </div>
      {pair.error ? (
        <p role="alert" className="shrink-0 border-line border-b px-3.5 py-1 text-fault text-sm">
          {pair.error instanceof Problem && pair.error.status === 404
            ? "This pair was removed meanwhile. You see it as it was; nothing can be added to it any more."
            : `What you see may be old: ${pair.error.message}`}
        </p>
      ) : null}
      <div className="min-h-0 flex-1">
        <Pictures key={data.id} pair={data} usualName={session.data.name} />
      </div>
    </div>
  );
}

function Pictures({ pair, usualName }: { pair: Schema["Pair"]; usualName: string }) {
  const [asked, setAsked] = useSearchParams();
  const opening = useOpening(pair, asked.get("map") ?? "", asked.get("zone") ?? "");
  const seeds = pair.control.runs
    .map((run) => run.seed)
    .filter((seed) => pair.trial.runs.some((run) => run.seed === seed));
  const [chosen, setChosen] = useState<number | null>(null);
  const seed = chosen !== null && seeds.includes(chosen) ? chosen : seeds[0];
  const others = useBeside(pair.id, seed);
  const viewed = useMemo(
    () => (seed === undefined ? [] : [...sidesOf(pair, seed), ...others.shown]),
    [pair, seed, others.shown],
  );
  const pins = usePins(pair, usualName);
  const [judging, setJudging] = useState(false);
  const askVerdict = useCallback(() => setJudging(true), []);
  const places = useMemo(() => placesOf(pair.comparison?.difference), [pair]);
  if (seed === undefined) {
    return (
      <div className="p-6">
        <Notice kind="plain">
          <p>No seed is finished on both sides yet, so there is nothing to look at.</p>
        </Notice>
      </div>
    );
  }
  const panel = (
    <Panel
      pair={pair}
      usualName={usualName}
      pins={pins}
      onZone={(zone) => setAsked({ map: asked.get("map") ?? "", zone }, { replace: true })}
    >
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1.5">
        <SeedChoice seeds={seeds} seed={seed} onChoose={setChosen} />
        <BesideChoice {...others} />
      </div>
    </Panel>
  );
  return (
    <>
      <PairViewer
        viewed={viewed}
        transform={pair.view_transform}
        layers={pair.layers}
        zones={pair.zones}
        places={places}
        source={{ pair: pair.id, control: pair.control_option, trial: pair.trial_option }}
        opening={opening}
        pinBench={pins.bench}
        onVerdict={askVerdict}
        panel={panel}
      />
      <QuickVerdict
        pair={pair.id}
        sentence={pair.sentence}
        usualName={usualName}
        open={judging}
        onClose={() => setJudging(false)}
      />
      <PinForm pins={pins} />
    </>
  );
}

/** Both sides' pictures of a seed. */
function sidesOf(pair: Schema["Pair"], seed: number): Viewed[] {
  return (["control", "trial"] as const).map((side) => {
    const figures = pair[side];
    const run = figures.runs.find((each) => each.seed === seed);
    return {
      key: side,
      title: SIDE_TITLE[side],
      side,
      picture: run?.picture ?? "",
      passes: run?.passes ?? {},
      note: noteOf(figures.render_seconds?.value, figures.noise?.value),
    };
  });
}

/** The map and the zone that the address asks for. */
function useOpening(pair: Schema["Pair"], layer: string, zone: string): Opening {
  const box = pair.zones.find((row) => row.zone === zone)?.box;
  const words = JSON.stringify(box ?? null);
  return useMemo(() => ({ layer, box: JSON.parse(words) as number[] | null }), [layer, words]);
}

function SeedChoice(props: { seeds: number[]; seed: number; onChoose: (seed: number) => void }) {
  if (props.seeds.length < 2) return null;
  return (
    <label className="flex items-center gap-1.5 text-sm">
      Pictures of seed
      <select
        className="border border-edge bg-field"
        value={props.seed}
        onChange={(event) => props.onChoose(Number(event.target.value))}
      >
        {props.seeds.map((each) => (
          <option key={each}>{each}</option>
        ))}
      </select>
    </label>
  );
}

/** Figures, verdict, match sheet and export beside the pictures. */
function Panel({
  pair,
  usualName,
  pins,
  onZone,
  children,
}: {
  pair: Schema["Pair"];
  usualName: string;
  pins: PinsOfPair;
  onZone: (zone: string) => void;
  children: ReactNode;
}) {
  return (
    <>
      <div className="mb-3">{children}</div>
      <PairFigures pair={pair} />
      <ComparisonFigures comparison={pair.comparison} />
      <ZoneFigures pair={pair} onZone={onZone} />
      <div className="mt-4">
        <MatchRail sheet={pair.match_sheet} />
        <a href="#match-sheet" className="quiet-link mt-1 block text-sm">
          {pair.match_sheet.summary}
        </a>
      </div>
      <Brightness pair={pair} />
      <h2 className="mt-4 mb-1 font-semibold">Verdict</h2>
      <VerdictList verdicts={pair.verdicts} pair={pair.id} />
      <div className="mt-2">
        <VerdictForm pair={pair.id} usualName={usualName} />
      </div>
      <h2 className="mt-4 mb-1 font-semibold">Pins</h2>
      <PinList pins={pins} />
      <h2 className="mt-5 mb-1 font-semibold">Judged blind</h2>
      <BlindBox pair={pair} usualName={usualName} />
      <h2 id="match-sheet" className="mt-5 mb-1 font-semibold">
        Match sheet
      </h2>
      <MendableSheet pair={pair} />
      <h2 className="mt-5 mb-1 font-semibold">Reference</h2>
      <MakeReference pair={pair} />
      <h2 className="mt-5 mb-1 font-semibold">Export</h2>
      <ul>
        {(["zip", "json", "csv"] as const).map((kind) => (
          <li key={kind}>
            <a className="quiet-link" href={`/api/pairs/${pair.id}/export.${kind}`} download>
              {EXPORTS[kind]}
            </a>
          </li>
        ))}
      </ul>
    </>
  );
}
