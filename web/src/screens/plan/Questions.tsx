import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { questionsQuery } from "../../api/queries";
import { Failed, Loading } from "../../parts/Notice";
import { useTitle } from "../../parts/useTitle";

/** Where a study starts: what is to be known. */
export function Questions() {
  const { data, error, refetch } = useQuery(questionsQuery);
  useTitle("New study");
  if (error) return <Failed what="list of questions" error={error} retry={() => void refetch()} />;
  if (!data) return <Loading what="questions" />;
  const kinds = Object.fromEntries(data.kinds.map((kind) => [kind.name, kind.title]));
  return (
    <div className="mx-auto max-w-[62rem] px-6 py-6">
      <h1 className="text-xl font-semibold">What do you want to know?</h1>
      <p className="mt-1 max-w-prose text-soft">
        The question proposes what to vary, what to hold and what to measure. All of it can be changed.
      </p>
      <ul className="mt-4 border-edge border-t">
        {data.questions.map((question) => (
          <li key={question.name} className="border-line border-b">
            <Link
              to={`/studies/plan?ask=${question.name}`}
              className="grid grid-cols-[minmax(0,1fr)_13rem] gap-6 px-2 py-2.5 hover:bg-wash"
              data-question={question.name}
            >
              <span>
                <span className="block font-semibold text-lg leading-snug">{question.title}</span>
                <span className="block text-soft">{question.about}</span>
              </span>
              <span className="text-soft text-sm">
                <span className="block text-ink">{kinds[question.kind]}</span>
                <span className="block">Measures {question.measures.join(", ")}</span>
              </span>
            </Link>
          </li>
        ))}
      </ul>
    </div>
  );
}
