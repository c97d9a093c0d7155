import { remember, remembered } from "../../parts/remembered";

/** By study, when this browser last looked at it. */
export const SEEN = "studies.seen";
const MOST = 2000;

/** Note that a study is looked at now. */
export function sawStudy(id: number): void {
  const all = Object.entries<string>({
    ...remembered<Record<string, string>>(SEEN, {}),
    [id]: new Date().toISOString(),
  });
  const latest = all.sort(([, a], [, b]) => b.localeCompare(a)).slice(0, MOST);
  remember(SEEN, Object.fromEntries(latest));
}
