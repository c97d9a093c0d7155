import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import type { Schema } from "../../api/client";
import { proofQuery } from "../../api/queries";
import { three } from "../../parts/format";

type Pictures = Schema["ProofPictures"];
type Picture = Schema["ProofPicture"];

const ACROSS = 416;
const ENLARGED = 1.5;

/** The pictures that prove the answer, side by side at one exposure, enlarged where they tell most. */
export function ProofStrip({ study, answer }: { study: number; answer: Schema["StudyAnswer"] }) {
  const found = useQuery(proofQuery(study, `${answer.sentence}${answer.shown?.pair ?? ""}`));
  const shown = found.data?.pictures;
  if (!answer.shown || !shown) return null;
  const pictures = (
    <div className="flex gap-3">
      {shown.sides.map((side) => (
        <Side key={side.picture} side={side} shown={shown} />
      ))}
    </div>
  );
  return (
    <section aria-label="Pictures that show it" className="mt-4" data-part="proof">
      {shown.pair ? (
        <Link to={`/pairs/${shown.pair}`} className="block w-fit">
          {pictures}
        </Link>
      ) : (
        pictures
      )}
      <p className="mt-1 text-soft text-xs">{howShown(shown)}</p>
    </section>
  );
}

function Side({ side, shown }: { side: Picture; shown: Pictures }) {
  const [gone, setGone] = useState(false);
  const [, , width = 1, height = 1] = side.box;
  return (
    <figure className="min-w-0" style={{ width: ACROSS }}>
      <div className="bg-wash" style={{ aspectRatio: `${width} / ${height}` }}>
        {gone ? (
          <p className="p-3 text-soft text-sm">This picture was let go; render it again to see it.</p>
        ) : (
          <img
            src={addressOf(side, shown)}
            alt={`${side.title}${shown.where ? `, ${shown.where}` : ""}`}
            className="block h-full w-full"
            style={{ imageRendering: ACROSS / width >= ENLARGED ? "pixelated" : "auto" }}
            onError={() => setGone(true)}
          />
        )}
      </div>
      <figcaption className="mt-1 text-sm">
        {side.title}
        <span className="text-soft">{figures(side)}</span>
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
    most: String(2 * ACROSS),
  });
  return `/api/pictures/${side.picture}/shown/?${asked}`;
}

function figures(side: Picture): string {
  const parts = [
    side.seconds == null ? "" : `${three(side.seconds)} s`,
    side.noise == null ? "" : `${three(side.noise)} ΔE visible noise`,
  ].filter(Boolean);
  return parts.length > 0 ? `  ${parts.join(", ")}` : "";
}

/** Where in the picture this is, how much it is enlarged and brightened. */
function howShown(shown: Pictures): string {
  const [first] = shown.sides;
  const times = ACROSS / (first?.box[2] ?? ACROSS);
  const parts = [
    shown.where,
    times >= ENLARGED
      ? `enlarged ${three(times)} ×${shown.part && !shown.where ? " where they differ most" : ""}`
      : "",
    shown.exposure > 0 ? `all ${three(shown.exposure)} stops brighter than rendered` : "",
  ].filter(Boolean);
  const text = parts.join(", ");
  return text ? `${text[0]?.toUpperCase()}${text.slice(1)}.` : "The whole picture, one seed each.";
}
