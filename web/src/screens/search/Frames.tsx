import { Link } from "react-router";
import type { Schema } from "../../api/client";
import { duration, settingName, settingsInWords, settingValue, three } from "../../parts/format";

/** The settings along the frames: a strip for each, cut where its value changes. */
export function FrameStrip({ joined }: { joined: Schema["Joined"] }) {
  const names = Object.keys(joined.constant);
  const [first, last] = [joined.ranges[0]?.first ?? 0, joined.ranges.at(-1)?.last ?? 0];
  return (
    <figure className="m-0" aria-label="Settings along the frames">
      {names.map((name) => (
        <div key={name} className="grid grid-cols-[11rem_1fr] items-center gap-3 py-0.5">
          <span className="text-sm">{settingName(name)}</span>
          <div className="flex h-7 gap-px bg-line">
            {stretches(joined.ranges, name).map((each) => (
              <span
                key={each.first}
                className="flex min-w-0 items-center justify-center overflow-hidden bg-wash text-sm"
                style={{ flexGrow: each.last - each.first + 1, flexBasis: 0 }}
                title={`${settingName(name)} ${settingValue(each.value)} in frames ${each.first} to ${each.last}`}
              >
                {settingValue(each.value)}
              </span>
            ))}
          </div>
        </div>
      ))}
      <figcaption className="grid grid-cols-[11rem_1fr] gap-3 text-soft text-sm">
        <span />
        <span className="flex justify-between">
          <span>frame {first}</span>
          <span>{wasteWords(joined)}</span>
          <span>frame {last}</span>
        </span>
      </figcaption>
    </figure>
  );
}

type Stretch = { first: number; last: number; value: unknown };

/** Neighbouring ranges in which a setting keeps its value count as one. */
function stretches(ranges: Schema["FrameRange"][], name: string): Stretch[] {
  const rows: Stretch[] = [];
  for (const range of ranges) {
    const before = rows.at(-1);
    const value = range.settings[name];
    if (before && before.value === value) before.last = range.last;
    else rows.push({ first: range.first, last: range.last, value });
  }
  return rows;
}

function wasteWords(joined: Schema["Joined"]): string {
  const constant = settingsInWords(joined.constant);
  if (joined.constant_seconds == null || joined.by_range_seconds == null) return `constant: ${constant}`;
  const wasted =
    joined.wasted_share == null
      ? "no measurable difference"
      : `${three(100 * joined.wasted_share)} % of it wasted`;
  return `${duration(joined.by_range_seconds)} by range; constant (${constant}) ${duration(joined.constant_seconds)}, ${wasted}`;
}

/** What was found at each frame that was looked at, and where it can be seen. */
export function FrameResults({ row }: { row: Schema["Search"] }) {
  return (
    <p className="text-sm">
      {row.frames.map((each, number) => (
        <span key={each.frame}>
          {number > 0 ? "; " : ""}
          {each.pair ? (
            <Link to={`/pairs/${each.pair}`} className="quiet-link">
              frame {each.frame}
            </Link>
          ) : (
            `frame ${each.frame}`
          )}
          : {settingsInWords(each.settings)}
        </span>
      ))}
    </p>
  );
}
