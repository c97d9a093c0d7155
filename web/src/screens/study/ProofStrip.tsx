import { useQuery } from "@tanstack/react-query";
import { type RefCallback, useCallback, useState } from "react";
import { Link } from "react-router";
import type { Schema } from "../../api/client";
import { proofQuery } from "../../api/queries";
import { three } from "../../parts/format";
import { SideMark, type SideName } from "../../parts/Side";
import { SmallCurve } from "./SmallCurve";

type Pictures = Schema["ProofPictures"];
type Picture = Schema["ProofPicture"];
type Option = Schema["OptionSummary"];

const MOST_PIXELS = 960;
const ENLARGED = 1.5;
const SIDES: readonly SideName[] = ["control", "trial"];
const TOLD = { visible_noise: "visible noise", visible_error: "visible error" } as const;

/** The proof of the answer: its pictures side by side at one exposure, enlarged where they tell most, what they are judged
 * by, and both as points among all options. */
export function ProofStrip({
  study,
  answer,
  options,
}: {
  study: number;
  answer: Schema["StudyAnswer"];
  options: Option[];
}) {
  const found = useQuery(proofQuery(study, `${answer.sentence}${answer.shown?.pair ?? ""}`));
  const [across, measured] = useWidth();
  const shown = found.data?.pictures;
  if (!answer.shown || found.error) return null;
  if (found.isPending)
    return (
      <p
        className="mt-4 flex h-72 max-w-[100rem] items-center justify-center bg-wash text-soft"
        role="status"
      >
        Looking for the place that shows it …
      </p>
    );
  if (!shown) return null;
  const figures = shown.sides.map((side, number) => (
    <Side
      key={side.picture}
      side={side}
      shown={shown}
      across={across}
      mark={shown.pair ? SIDES[number] : undefined}
    />
  ));
  const columns = `repeat(${shown.reference ? 3 : 2}, minmax(0, 1fr)) 17.5rem`;
  return (
    <section aria-label="Pictures that show it" className="mt-4 max-w-[100rem]" data-part="proof">
      <div className="grid gap-3" style={{ gridTemplateColumns: columns }}>
        <div ref={measured} className="col-span-2">
          {shown.pair ? (
            <Link to={`/pairs/${shown.pair}`} className="grid grid-cols-2 gap-3">
              {figures}
            </Link>
          ) : (
            <div className="grid grid-cols-2 gap-3">{figures}</div>
          )}
        </div>
        {shown.reference ? <Side side={shown.reference} shown={shown} across={across} /> : null}
        {/* a pass has a noise of its own, which the options' figures do not tell */}
        {answer.question === "pass" ? null : <SmallCurve study={study} options={options} shown={shown} />}
      </div>
      <p className="mt-1 text-soft text-xs">{howShown(shown, across)}</p>
    </section>
  );
}

/** How wide one of the two pictures is drawn. */
function useWidth(): [number, RefCallback<HTMLDivElement>] {
  const [width, setWidth] = useState(400);
  const measured = useCallback((box: HTMLDivElement | null) => {
    if (!box) return;
    const watch = new ResizeObserver(() => setWidth(Math.max(1, (box.clientWidth - 12) / 2)));
    watch.observe(box);
    return () => watch.disconnect();
  }, []);
  return [width, measured];
}

function Side({
  side,
  shown,
  across,
  mark,
}: {
  side: Picture;
  shown: Pictures;
  across: number;
  mark?: SideName | undefined;
}) {
  const [gone, setGone] = useState(false);
  const [, , width = 1, height = 1] = side.box;
  return (
    <figure className="min-w-0">
      <div className="bg-wash" style={{ aspectRatio: `${width} / ${height}` }}>
        {gone ? (
          <p className="p-3 text-soft text-sm">This picture was let go; render it again to see it.</p>
        ) : (
          <img
            src={addressOf(side, shown)}
            alt={`${side.title}${shown.where ? `, ${shown.where}` : ""}`}
            className="block h-full w-full"
            style={{ imageRendering: across / width >= ENLARGED ? "pixelated" : "auto" }}
            onError={() => setGone(true)}
          />
        )}
      </div>
      <figcaption className="mt-1 text-sm leading-snug">
        {mark ? <SideMark side={mark} /> : null} {side.title}
        <span className="block text-soft text-xs">{figures(side, shown)}</span>
      </figcaption>
    </figure>
  );
}

function addressOf(side: Picture, shown: Pictures): string {
  const [x, y, width, height] = side.box;
  const asked = new URLSearchParams({
    transform: shown.transform,
    exposure: String(shown.exposure),
    x: String(x),
    y: String(y),
    width: String(width),
    height: String(height),
    most: String(MOST_PIXELS),
  });
  return `/api/pictures/${side.picture}/shown/?${asked}`;
}

function figures(side: Picture, shown: Pictures): string {
  return [
    side.seconds == null ? "" : `${three(side.seconds)} s`,
    side.value == null ? "" : `${three(side.value)} ΔE ${TOLD[shown.measure]}`,
  ]
    .filter(Boolean)
    .join(", ");
}

/** Where in the picture this is, how much it is enlarged and brightened. */
function howShown(shown: Pictures, across: number): string {
  const [first] = shown.sides;
  const times = across / (first?.box[2] ?? across);
  const parts = [
    shown.place,
    shown.where,
    times >= ENLARGED
      ? `enlarged ${three(times)} ×${shown.part && !shown.where ? " where they differ most" : ""}`
      : "",
    shown.exposure > 0 ? `all ${three(shown.exposure)} stops brighter than rendered` : "",
  ].filter(Boolean);
  const text = parts.join(", ");
  return text ? `${text[0]?.toUpperCase()}${text.slice(1)}.` : "The whole picture, one seed each.";
}
