import { useMutation } from "@tanstack/react-query";
import { api, body, type Schema } from "../../api/client";
import { factorOf, withLevels, withoutFactor } from "./draft";
import type { Draft, Kept, Level } from "./kept";

/** What the tables need to vary a thing: its levels, what is wrong with them, and the acts. */
export type Vary = {
  single: boolean;
  levels: (subject: string) => Level[] | null;
  problems: (subject: string) => string[];
  begin: (subject: string) => void;
  change: (subject: string, levels: Level[]) => void;
  end: (subject: string) => void;
};

export function useVary(
  draft: Kept,
  kind: Schema["PlanKind"] | undefined,
  request: Draft,
  found: Record<string, string[]>,
  change: (part: Partial<Kept>) => void,
): Vary & { error: Error | null } {
  const asking = useMutation({
    mutationFn: (subject: string) =>
      body(api.POST("/api/studies/levels/", { body: { ...request, subject, kind: draft.kind ?? "on-off" } })),
    onSuccess: (factor) => change(withLevels(draft, kind, factor.subject, factor.levels as Level[])),
  });
  return {
    single: kind?.most_levels === 1,
    levels: (subject) => factorOf(draft, subject)?.factor.levels ?? null,
    problems: (subject) => {
      const at = factorOf(draft, subject);
      if (!at) return [];
      const prefix = `factors.${at.place}`;
      const own = Object.entries(found).filter(
        ([field]) => field === prefix || field.startsWith(`${prefix}.`),
      );
      return [...new Set(own.flatMap(([, problems]) => problems))];
    },
    begin: asking.mutate,
    change: (subject, levels) => change(withLevels(draft, kind, subject, levels)),
    end: (subject) => change(withoutFactor(draft, subject)),
    error: asking.error,
  };
}
