import type { Schema } from "../../api/client";

export type Row = Schema["OverviewRow"];

export const SORTS = {
  newest: "newest first",
  name: "by name",
  ended: "last render first",
  disk: "most disk first",
} as const;
export type Sort = keyof typeof SORTS;

export const STATES = {
  judged: "with a verdict",
  sure: "sure, not judged yet",
  open: "not sure yet",
  running: "running",
  planned: "not run yet",
} as const;
export type State = keyof typeof STATES;

export type Wanted = { find: string; scene: string; engine: string; asked: string; state: string };
export const ALL: Wanted = { find: "", scene: "", engine: "", asked: "", state: "" };

/** Where a study stands; what is under way comes before what it says so far. */
export function stateOf(row: Row): State {
  if (row.state === "running") return "running";
  if (row.state === "planned") return "planned";
  if (row.sure !== "sure") return "open";
  return row.chosen.length > 0 ? "judged" : "sure";
}

/** The studies that fit all that is wanted, in this order. Every word must stand somewhere in a study. */
export function found(rows: readonly Row[], wanted: Wanted, sort: Sort): Row[] {
  const words = wanted.find.toLowerCase().split(/\s+/).filter(Boolean);
  const fits = rows.filter((row) => {
    const said = [row.question, row.sentence, row.scene, ...row.engines].join(" ").toLowerCase();
    return (
      words.every((word) => said.includes(word)) &&
      (!wanted.scene || row.scene_title === wanted.scene) &&
      (!wanted.engine || row.engines.includes(wanted.engine)) &&
      (!wanted.asked || row.asked === wanted.asked) &&
      (!wanted.state || stateOf(row) === wanted.state)
    );
  });
  const by: Record<Sort, (a: Row, b: Row) => number> = {
    newest: (a, b) => b.created_at.localeCompare(a.created_at) || b.id - a.id,
    name: (a, b) => a.question.localeCompare(b.question),
    ended: (a, b) => (b.ended_at ?? "").localeCompare(a.ended_at ?? ""),
    disk: (a, b) => b.disk_bytes - a.disk_bytes,
  };
  return fits.sort(by[sort]);
}

/** The same by scene, scenes in the order in which they first come. */
export function byScene(rows: readonly Row[]): [string, Row[]][] {
  const groups = new Map<string, Row[]>();
  for (const row of rows) groups.set(row.scene_title, [...(groups.get(row.scene_title) ?? []), row]);
  return [...groups];
}

/** How many there are, and of how many the answer is not sure; while answers are gathered, only how many are not yet. */
export function headline(rows: readonly Row[]): string {
  if (rows.length === 0) return "No study yet: ask a question and change one thing.";
  const studies = `${rows.length} ${rows.length === 1 ? "study" : "studies"}`;
  const toGather = rows.filter((row) => !row.gathered).length;
  if (toGather > 0)
    return `${studies}; still gathering what ${toGather} of them ${toGather === 1 ? "says" : "say"}.`;
  const open = rows.filter((row) => row.sure !== "sure").length;
  return open === 0 ? `${studies}, each with an answer.` : `${studies}, ${open} without a sure answer yet.`;
}

export type Need = { row: Row; why: "running" | "failed" | "new" | "open" };

/** What asks for somebody now: under way, failed, done since it was last looked at, or not sure yet with a step to take. */
export function needs(rows: readonly Row[], seen: Readonly<Record<string, string>>, since: string): Need[] {
  const why = (row: Row): Need["why"] | null => {
    if (row.state === "running") return "running";
    if (row.state === "partly") return "failed";
    if (row.ended_at && row.ended_at > (seen[row.id] ?? since)) return "new";
    return row.sure !== "sure" && row.next && row.runs_done > 0 ? "open" : null;
  };
  const order = ["running", "failed", "new", "open"];
  return rows
    .filter((row) => !row.archived)
    .flatMap((row) => {
      const reason = why(row);
      return reason ? [{ row, why: reason }] : [];
    })
    .sort((a, b) => order.indexOf(a.why) - order.indexOf(b.why));
}
