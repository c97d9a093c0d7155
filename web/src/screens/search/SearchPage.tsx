import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { api, body, type Schema } from "../../api/client";
import { searchesQuery, studyQuery } from "../../api/queries";
import { three } from "../../parts/format";
import { Failed, Loading, Notice } from "../../parts/Notice";
import { useTitle } from "../../parts/useTitle";
import { SearchForm } from "./SearchForm";
import { SearchTrace } from "./SearchTrace";

/** Searches for the least settings that still give the picture. */
export function SearchPage() {
  const id = Number(useParams().id);
  const study = useQuery(studyQuery(id));
  const searches = useQuery(searchesQuery(id));
  const queries = useQueryClient();
  useTitle(`Search: ${study.data?.question ?? ""}`);
  const begin = useMutation({
    mutationFn: (asked: Schema["NewSearchRequest"]) =>
      body(api.POST("/api/studies/{id}/searches/", { params: { path: { id } }, body: asked })),
    onSuccess: () => void queries.invalidateQueries({ queryKey: ["searches"] }),
  });
  if (study.error && !study.data)
    return <Failed what="study" error={study.error} retry={() => void study.refetch()} />;
  if (searches.error && !searches.data)
    return <Failed what="searches" error={searches.error} retry={() => void searches.refetch()} />;
  if (!study.data || !searches.data) return <Loading what="searches" />;
  const { data } = searches;
  return (
    <div className="px-6 py-5">
      <p className="text-soft">
        <Link to={`/studies/${id}`} className="quiet-link">
          {study.data.question}
        </Link>
      </p>
      <h1 className="mt-0.5 mb-3 max-w-[60rem] text-xl font-semibold leading-snug">
        {sentenceOf(data.searches)}
      </h1>
      {data.cannot_begin === "" ? (
        <SearchForm
          base={data.base}
          title={data.base_title}
          proposed={data.proposed}
          zones={data.zones}
          frame={data.frame}
          firstFrame={data.first_frame}
          lastFrame={data.last_frame}
          busy={begin.isPending}
          onBegin={begin.mutate}
        />
      ) : (
        <Notice kind="plain">
          <p>No search can begin here: {data.cannot_begin}.</p>
        </Notice>
      )}
      {begin.error ? (
        <Notice kind="fault">
          <p>{begin.error.message}</p>
        </Notice>
      ) : null}
      {data.searches.map((row) => (
        <SearchTrace key={row.id} row={row} />
      ))}
    </div>
  );
}

function sentenceOf(rows: Schema["Search"][]): string {
  const [newest] = rows;
  if (!newest) return "Which of these settings are higher than the picture needs?";
  if (newest.state === "searching" || newest.state === "confirming") return "The search goes on.";
  if (newest.state !== "done") return "The search is not over; what it found so far stands below.";
  const changed = Object.entries(newest.found).filter(([name, value]) => newest.before[name] !== value);
  if (newest.joined) {
    const ranges = newest.joined.ranges.length;
    if (ranges === 1) return `One setting holds for all frames. ${newest.words}.`;
    const wasted = newest.joined.wasted_share;
    const cost =
      wasted == null ? "" : ` Constant settings would waste ${three(100 * wasted)} % of the rendering time.`;
    return `${ranges} ranges of frames have settings of their own.${cost}`;
  }
  if (changed.length === 0) return "The present settings are the least that give this picture.";
  return `${changed.length} ${changed.length === 1 ? "setting can" : "settings can"} be lower. ${newest.words}.`;
}
