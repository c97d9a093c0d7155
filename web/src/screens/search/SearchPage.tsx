import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useParams, useSearchParams } from "react-router";
import { api, body, type Schema } from "../../api/client";
import { answerQuery, searchesQuery, studyQuery } from "../../api/queries";
import { Failed, Loading, Notice } from "../../parts/Notice";
import { useTitle } from "../../parts/useTitle";
import { But, NextStep } from "../study/AnswerHead";
import { ProofStrip } from "../study/ProofStrip";
import { SearchForm } from "./SearchForm";
import { SearchTrace } from "./SearchTrace";

/** Searches for the least settings that still give the picture. */
export function SearchPage() {
  const id = Number(useParams().id);
  const study = useQuery(studyQuery(id));
  const searches = useQuery(searchesQuery(id));
  const says = useQuery(answerQuery(id));
  const [wanted] = useSearchParams();
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
  const [newest] = data.searches;
  const done = data.searches.find((row) => row.state === "done");
  const proved = done !== undefined && done.sentence === says.data?.answer.sentence;
  return (
    <div className="px-6 py-5">
      <p className="text-soft">
        <Link to={`/studies/${id}`} className="quiet-link">
          {study.data.question}
        </Link>
      </p>
      <h1 className="mt-0.5 mb-3 max-w-[60rem] text-xl font-semibold leading-snug">
        {newest?.sentence ?? "Which of these settings are higher than the picture needs?"}
      </h1>
      {proved && says.data ? (
        <div className="mb-5">
          <But claims={says.data.answer.but} study={id} />
          <NextStep study={study.data} answer={says.data.answer} />
          <ProofStrip study={id} answer={says.data.answer} options={says.data.options} />
        </div>
      ) : null}
      {data.cannot_begin === "" ? (
        <SearchForm
          base={data.base}
          title={data.base_title}
          proposed={data.proposed}
          zones={data.zones}
          frame={data.frame}
          firstFrame={data.first_frame}
          lastFrame={data.last_frame}
          fullSize={wanted.get("at") === "full-size"}
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
