import { useQuery } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useMemo } from "react";
import { useSearchParams } from "react-router";
import type { Schema } from "../../api/client";
import { besideQuery } from "../../api/queries";
import { optionTitle, three } from "../../parts/format";
import type { Viewed } from "../../viewer/viewed";

const MOST = 7;

export type Others = {
  readonly rows: readonly Schema["Beside"][];
  readonly chosen: readonly string[];
  readonly shown: readonly Viewed[];
  readonly choose: (keys: readonly string[]) => void;
};

/** What stands beside the pair: named in the address, so that it can be sent to others. */
export function useBeside(pair: number, seed: number | undefined): Others {
  const [asked, setAsked] = useSearchParams();
  const rows = useQuery(besideQuery(pair)).data;
  const words = asked.get("beside") ?? "";
  const shown = useMemo(
    () =>
      words.split(",").flatMap((key): Viewed[] => {
        const row = rows?.find((each) => each.key === key);
        return row ? [viewedOf(row, seed ?? 0)] : [];
      }),
    [rows, words, seed],
  );
  return {
    rows: rows ?? [],
    chosen: shown.map((each) => each.key),
    shown,
    choose: (keys) =>
      setAsked(
        (now) => {
          const next = new URLSearchParams(now);
          if (keys.length) next.set("beside", keys.join(","));
          else next.delete("beside");
          return next;
        },
        { replace: true },
      ),
  };
}

/** Choose up to seven pictures more; G shows all together. */
export function BesideChoice({ rows, chosen, choose }: Others) {
  if (rows.length === 0) return null;
  return (
    <Popover.Root>
      <Popover.Trigger className="act !min-h-0 text-sm">
        {chosen.length ? `${chosen.length} more beside` : "Put more beside"}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          aria-label="Pictures beside the pair"
          className="z-40 max-h-[70vh] w-80 overflow-auto border border-edge bg-paper px-3.5 py-2.5 text-sm"
        >
          <p className="mb-1 text-soft">Up to {MOST}; “Together” (G) shows them all in step.</p>
          {rows.map((row) => {
            const on = chosen.includes(row.key);
            return (
              <label key={row.key} className="flex items-baseline gap-2 py-0.5">
                <input
                  type="checkbox"
                  className="accent-ink"
                  checked={on}
                  disabled={!on && chosen.length >= MOST}
                  onChange={() => choose(on ? chosen.filter((key) => key !== row.key) : [...chosen, row.key])}
                />
                <span>
                  {optionTitle(row.title)}{" "}
                  <span className="text-soft">{noteOf(row.seconds, row.noise_percent)}</span>
                </span>
              </label>
            );
          })}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** Time and noise in words, as far as they are known. */
export function noteOf(seconds: number | null | undefined, noise: number | null | undefined): string {
  const parts = [
    seconds == null ? "" : `${three(seconds)} s`,
    noise == null ? "" : `noise ${three(noise)} %`,
  ];
  return parts.filter(Boolean).join(", ");
}

function viewedOf(row: Schema["Beside"], seed: number): Viewed {
  const known = Object.keys(row.pictures);
  const shown = known.includes(String(seed)) ? String(seed) : (known[0] ?? "");
  return {
    key: row.key,
    title: optionTitle(row.title),
    side: null,
    picture: row.pictures[shown] ?? "",
    passes: row.passes[shown] ?? {},
    note: noteOf(row.seconds, row.noise_percent),
  };
}
