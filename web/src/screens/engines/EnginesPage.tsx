import { useQuery } from "@tanstack/react-query";
import { Tabs } from "radix-ui";
import type { Schema } from "../../api/client";
import { enginesQuery } from "../../api/queries";
import { Failed, Loading, Notice } from "../../parts/Notice";
import { useRemembered } from "../../parts/remembered";
import { useTitle } from "../../parts/useTitle";
import { EffectsTable } from "./EffectsTable";
import { EngineCatalogue } from "./EngineCatalogue";
import { QuantitiesTable } from "./QuantitiesTable";

const PARTS = {
  engines: "Engines and settings",
  effects: "Effects",
  quantities: "Quantities and brightness",
} as const;
type Part = keyof typeof PARTS;

/** The kit: engines with builds and settings, who does which effect, and what each calls a quantity. */
export function EnginesPage() {
  const { data, error, refetch } = useQuery({ ...enginesQuery, refetchInterval: 5000 });
  const [part, setPart] = useRemembered<Part>("engines.part", "engines");
  useTitle("Engines");
  if (error && !data) return <Failed what="list of engines" error={error} retry={() => void refetch()} />;
  if (!data) return <Loading what="engines" />;
  return (
    <div className="mx-auto max-w-[76rem] px-6 py-6">
      <h1 className="text-xl font-semibold">{sentence(data)}</h1>
      {data.problems.map((problem) => (
        <div key={problem} className="mt-3">
          <Notice kind="fault">
            <p>Left out until it is corrected: {problem}</p>
          </Notice>
        </div>
      ))}
      <Tabs.Root value={part} onValueChange={(value) => setPart(value as Part)} className="mt-4">
        <Tabs.List aria-label="Parts" className="flex gap-5 border-edge border-b">
          {Object.entries(PARTS).map(([name, title]) => (
            <Tabs.Trigger
              key={name}
              value={name}
              className="border-transparent border-b-2 px-0.5 py-1 data-[state=active]:border-ink data-[state=active]:font-semibold"
            >
              {title}
            </Tabs.Trigger>
          ))}
        </Tabs.List>
        <Tabs.Content value="engines">
          <EngineCatalogue engines={data.engines} />
        </Tabs.Content>
        <Tabs.Content value="effects">
          <EffectsTable data={data} />
        </Tabs.Content>
        <Tabs.Content value="quantities">
          <QuantitiesTable engines={data.engines} />
        </Tabs.Content>
      </Tabs.Root>
    </div>
  );
}

function sentence({ engines }: Schema["Engines"]): string {
  if (engines.length === 0) return "No engine yet: put a definition into the engines folder.";
  const missing = engines.filter((engine) => engine.missing).map((engine) => engine.title);
  const apart = engines.filter((engine) => engine.brightness).map((engine) => engine.title);
  const there = `${engines.length} ${engines.length === 1 ? "engine" : "engines"} defined`;
  const able =
    missing.length === 0 ? "all can be called here" : `${missing.join(", ")} cannot be called here`;
  const bright = apart.length ? `; ${apart.join(", ")} brought to the brightness of another` : "";
  return `${there}, ${able}${bright}.`;
}
