import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { answerQuery } from "../../api/queries";
import { SideMark, type SideName } from "../../parts/Side";
import { type Decision, nameOf, type Option, type Use } from "./figures";

/** What is chosen for a use, as it looks, above the control. */
export function ChosenPictures({ study, decision, use }: { study: number; decision: Decision; use: Use }) {
  const options = useQuery(answerQuery(study)).data?.options ?? [];
  const chosen = decision.options.find((option) => option.key === use.chosen);
  if (!chosen) return null;
  const place = options.find((each) => each.id === chosen.option);
  // the control of the same place, which is not everywhere the same option
  const control = options.find((each) => each.id === place?.control);
  const looks = (
    <>
      <Look
        side={chosen.control ? "control" : "trial"}
        name={nameOf(decision, chosen.key)}
        picture={place?.picture ?? ""}
      />
      {control ? <Look side="control" name={`Control: ${control.name}`} picture={control.picture} /> : null}
    </>
  );
  return (
    <section aria-label="What is chosen" data-part="chosen">
      {linkOf(chosen) ? (
        <Link to={linkOf(chosen)} className="block">
          {looks}
        </Link>
      ) : (
        looks
      )}
      {place?.place ? <p className="text-soft text-xs">{place.place}</p> : null}
    </section>
  );
}

function linkOf(option: Option): string {
  return option.pair ? `/pairs/${option.pair}` : "";
}

function Look({ side, name, picture }: { side: SideName; name: string; picture: string }) {
  return (
    <figure className="mb-2">
      {picture ? (
        <img src={`/api/pictures/${picture}/thumbnail/`} alt="" className="block w-full" />
      ) : (
        <p className="bg-wash p-3 text-soft text-sm">There is no picture of it here.</p>
      )}
      <figcaption className="mt-0.5 text-sm leading-snug">
        <SideMark side={side} /> {name}
      </figcaption>
    </figure>
  );
}
