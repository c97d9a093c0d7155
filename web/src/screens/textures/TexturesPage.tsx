import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { api, body, type Schema } from "../../api/client";
import { texturePlacesQuery, texturePlanQuery } from "../../api/queries";
import { bytes } from "../../parts/format";
import { Labelled } from "../../parts/Labelled";
import { Failed, Loading, Notice } from "../../parts/Notice";
import { useTitle } from "../../parts/useTitle";
import { AskUse } from "./AskUse";
import { CopiesList } from "./CopiesList";
import { MapTable } from "./MapTable";

type Plan = Schema["TexturePlan"];

/** What the maps of a scene or folder take, what would do, and reduced copies beside them. */
export function TexturesPage() {
  const [asked, setAsked] = useSearchParams();
  const places = useQuery(texturePlacesQuery);
  useTitle("Textures");
  if (places.error && !places.data)
    return <Failed what="list of textures" error={places.error} retry={() => void places.refetch()} />;
  if (!places.data) return <Loading what="textures" />;
  const [first] = places.data;
  if (!first)
    return (
      <div className="px-6 py-5">
        <h1 className="text-xl font-semibold">No scene here has image textures.</h1>
        <p className="mt-2 max-w-[44rem]">
          A scene names its textures under the key “textures”, and any folder below the one that
          MATCHEDPAIR_TEXTURES names can be planned as well.
        </p>
      </div>
    );
  const place = asked.get("place") ?? first.key;
  return (
    <OnePlace
      key={place}
      place={place}
      places={places.data}
      onPlace={(key) => setAsked({ place: key }, { replace: true })}
    />
  );
}

function OnePlace(props: { place: string; places: Schema["Place"][]; onPlace: (key: string) => void }) {
  const { place } = props;
  const queries = useQueryClient();
  const plan = useQuery(texturePlanQuery(place));
  const keep = (data: Plan) => queries.setQueryData(texturePlanQuery(place).queryKey, data);
  const decide = useMutation({
    mutationFn: (choice: Omit<Schema["ChoiceRequest"], "place">) =>
      body(api.PUT("/api/textures/choice/", { body: { place, ...choice } })),
    onSuccess: keep,
  });
  const choose = (
    <Labelled title="Scene or folder">
      <select
        className="field max-w-72"
        value={place}
        onChange={(event) => props.onPlace(event.target.value)}
      >
        {props.places.map((each) => (
          <option key={each.key} value={each.key}>
            {each.title}, {each.maps} {each.maps === 1 ? "map" : "maps"}
          </option>
        ))}
        {props.places.some((each) => each.key === place) ? null : <option value={place}>{place}</option>}
      </select>
    </Labelled>
  );
  return (
    <div className="px-6 py-5">
      <div className="flex items-start justify-between gap-6">
        <h1 className="max-w-[54rem] text-xl font-semibold leading-snug">
          {plan.data ? sentenceOf(plan.data) : "Reading the maps …"}
        </h1>
        {choose}
      </div>
      {plan.error && !plan.data ? (
        <Failed what="plan" error={plan.error} retry={() => void plan.refetch()} />
      ) : null}
      {plan.data ? (
        <>
          {plan.data.unread > 0 ? (
            <p role="status" className="mt-2 text-soft">
              {plan.data.maps.length} of {plan.data.maps.length + plan.data.unread} maps read …
            </p>
          ) : null}
          <MapTable plan={plan.data} onDecide={decide.mutate} />
          {decide.error ? (
            <Notice kind="fault">
              <p>{decide.error.message}</p>
            </Notice>
          ) : null}
          {plan.data.problems.length > 0 ? <Unusable rows={plan.data.problems} /> : null}
          <div className="mt-5 grid grid-cols-[minmax(0,1fr)_minmax(0,2fr)] gap-8 border-line border-t pt-4">
            <AskUse plan={plan.data} onPlan={keep} />
            <CopiesList plan={plan.data} onPlan={keep} />
          </div>
        </>
      ) : null}
    </div>
  );
}

function Unusable({ rows }: { rows: Schema["Problem"][] }) {
  return (
    <div className="mt-3">
      <Notice kind="fault">
        <p>
          {rows.length === 1 ? "One file cannot be used" : `${rows.length} files cannot be used`}; the plan
          leaves {rows.length === 1 ? "it" : "them"} as {rows.length === 1 ? "it is" : "they are"}.
        </p>
        <ul>
          {rows.slice(0, 20).map((row) => (
            <li key={row.file}>
              {row.file}: {row.reason}
            </li>
          ))}
        </ul>
      </Notice>
    </div>
  );
}

function sentenceOf(plan: Plan): string {
  const count = plan.maps.length;
  if (count === 0) return `No map of ${plan.title} could be read yet.`;
  const maps = count === 1 ? "The one map" : `The ${count} maps`;
  const takes = `${maps} of ${plan.title} ${count === 1 ? "takes" : "take"} ${bytes(plan.before_bytes)} of memory`;
  if (plan.after_bytes === plan.before_bytes) return `${takes}; none is larger than it needs to be.`;
  const rest = `${bytes(plan.after_bytes)} would do (${Math.round((100 * plan.after_bytes) / plan.before_bytes)} %)`;
  return plan.asked ? `${takes}; ${rest}.` : `${takes}; by their roles alone, ${rest}.`;
}
