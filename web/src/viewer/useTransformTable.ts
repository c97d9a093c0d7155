import { useQuery } from "@tanstack/react-query";
import { transformsQuery } from "../api/queries";

/** A view transform baked to a cube of display values; the shader looks colours up in it. */
export type TransformTable = {
  readonly name: string;
  readonly size: number;
  readonly lowestStop: number;
  readonly stops: number;
  readonly halves: Uint16Array<ArrayBuffer>;
};
export type Transform =
  | { state: "loading" }
  | { state: "plain"; name: string; trouble: string }
  | { state: "table"; table: TransformTable };

const PLAIN = "sRGB - Display / Un-tone-mapped";

/** The table of a view transform; plain sRGB is exact in the shader and needs none. */
export function useTransformTable(name: string): Transform {
  const transforms = useQuery(transformsQuery);
  const asked = name || transforms.data?.default || "";
  const table = useQuery({
    queryKey: ["transform table", asked],
    queryFn: ({ signal }) => fetchTable(asked, signal),
    enabled: asked !== "" && asked !== PLAIN,
    staleTime: Number.POSITIVE_INFINITY,
    retry: 1,
  });
  if (asked === PLAIN) return { state: "plain", name: PLAIN, trouble: "" };
  if (table.data) return { state: "table", table: table.data };
  const error = transforms.error ?? table.error;
  if (error) return { state: "plain", name: PLAIN, trouble: `Shown as plain sRGB: ${error.message}` };
  return { state: "loading" };
}

async function fetchTable(name: string, signal: AbortSignal): Promise<TransformTable> {
  const answer = await fetch(`/api/view-transforms/table/?name=${encodeURIComponent(name)}`, { signal });
  if (!answer.ok) throw new Error(`the view transform ${name} cannot be used.`);
  const number = (header: string) => Number(answer.headers.get(header));
  const halves = new Uint16Array(await answer.arrayBuffer());
  const size = number("Table-Size");
  if (halves.length !== size ** 3 * 4) throw new Error("the view transform arrived incomplete.");
  return { name, size, lowestStop: number("Table-Lowest-Stop"), stops: number("Table-Stops"), halves };
}
