import type { QueryClient, QueryKey } from "@tanstack/react-query";

/** What the server tells of: runs, how far they are, what was measured, or anything that somebody changed. */
const KEYS: Record<string, readonly string[]> = {
  progress: ["progress", "queue", "run"],
  runs: [
    "progress",
    "queue",
    "run",
    "overview",
    "study",
    "answer",
    "table",
    "groups",
    "matchings",
    "searches",
    "motion",
    "contact sheet",
    "beside",
    "curves",
    "preview",
  ],
  measured: [
    "session",
    "overview",
    "answer",
    "measures",
    "curves",
    "effects",
    "matchings",
    "searches",
    "motion",
    "decision",
    "pair",
    "layer",
    "contact sheet",
    "beside",
    "import",
    "imports",
    "troubles",
  ],
};
/** What no change makes another: it is known by what it is of. */
const LASTING = ["view transforms", "questions", "proof", "spots"];
const EVERYTHING = "everything";
// what is told in one breath is asked for once; then not again for a while, since renders are timed on this machine
const ONE_BREATH = 80;
const AT_MOST_EVERY = 700;
const WHEN_TOLD = 30_000;

let listening = false;
// how far notices had come when the stream began, and with the answers that were there before
let toldFrom: number | undefined;
const answered = new Set<number>();
let askForAll = () => {};

/** How long to wait before asking again by oneself: `otherwise`, or much longer while the server tells what changes. */
export function askAgainAfter(otherwise: number): number {
  return listening ? Math.max(otherwise, WHEN_TOLD) : otherwise;
}

/** Whether a query may have another answer since these topics were told; never what only the first look can change. */
export function concerns(topics: Iterable<string>, key: QueryKey): boolean {
  for (const topic of topics) {
    if (topic === EVERYTHING || KEYS[topic]?.includes(String(key[0]))) return true;
  }
  return false;
}

/** Ask again for what these topics concern, after an act of one's own; the server tells it too, a little later. */
export function askAgain(queries: QueryClient, ...topics: string[]): Promise<void> {
  return queries.invalidateQueries({
    predicate: (query) => !LASTING.includes(String(query.queryKey[0])) && concerns(topics, query.queryKey),
  });
}

/** Notes up to which notice an answer holds; one that the stream does not tell of may have been missed by it. */
export function answeredUpTo(notice: string | null): void {
  if (notice === null) return;
  const at = Number(notice);
  if (toldFrom === undefined) answered.add(at);
  else if (at < toldFrom) {
    toldFrom = at; // also when notices are counted from the beginning again
    askForAll();
  }
}

/** Ask again for what changed, as the server tells it; returns what ends it. Polling goes on while it tells nothing. */
export function listen(queries: QueryClient): () => void {
  const told = new Set<string>();
  let waiting: ReturnType<typeof setTimeout> | undefined;
  let asked = 0;
  const ask = () => {
    waiting = undefined;
    asked = Date.now();
    const topics = [...told];
    told.clear();
    void askAgain(queries, ...topics);
  };
  const source = new EventSource("/api/events/");
  askForAll = () => void queries.invalidateQueries({ predicate: (query) => query.state.dataUpdatedAt > 0 });
  source.onopen = () => {
    listening = true;
  };
  source.onerror = () => {
    listening = false;
  };
  source.addEventListener("told", (event: MessageEvent<string>) => {
    // what changed before the stream began it does not tell
    const at = Number(event.data);
    const again = toldFrom !== undefined || [...answered].some((before) => before !== at);
    toldFrom = at;
    answered.clear();
    if (again) askForAll();
  });
  source.onmessage = (event: MessageEvent<string>) => {
    for (const topic of event.data.split(" ")) told.add(topic);
    waiting ??= setTimeout(ask, Math.max(ONE_BREATH, asked + AT_MOST_EVERY - Date.now()));
  };
  return () => {
    listening = false;
    toldFrom = undefined;
    clearTimeout(waiting);
    source.close();
  };
}
