import { Link } from "react-router";
import { spread } from "../../parts/format";
import { SideMark } from "../../parts/Side";
import { type Decision, figureWords, nameOf, type Option, type Use } from "./figures";

const STATES: Record<string, string> = {
  breaks: "breaks the limit",
  unsure: "at its limit",
  "not known": "not known",
};

/** Every option with the figures that are limited: those out stay in sight with the limit that they break. */
export function OptionsTable(props: {
  decision: Decision;
  use: Use;
  onChoose: (option: number | null) => void;
}) {
  const { decision, use } = props;
  const limited = decision.limit_kinds.filter((kind) => kind.name in use.limits);
  const always = decision.limit_kinds.filter((kind) => ["seconds", use.ranked_by].includes(kind.name));
  const kinds = [...new Set([...always, ...limited])];
  const rows = [...decision.options].sort((a, b) => rank(use, a) - rank(use, b));
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a table longer than its box is scrolled by keyboard
    <div className="max-h-[22rem] overflow-auto" tabIndex={0}>
      <table className="table-plain w-full text-sm" aria-label={`Options for ${use.title.toLowerCase()}`}>
        <thead>
          <tr>
            <th scope="col">Option</th>
            {kinds.map((kind) => (
              <th key={kind.name} scope="col" className="!text-right">
                {kind.title}
                <span className="block font-normal text-xs">{kind.unit}</span>
              </th>
            ))}
            <th scope="col">Stands</th>
            <th scope="col">
              <span className="sr-only">Choose</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.map((option) => {
            const standing = use.standings[option.key];
            const chosen = option.key === use.chosen;
            return (
              <tr key={option.key} data-chosen={chosen} data-out={standing?.out}>
                <th
                  scope="row"
                  className={`max-w-60 text-left ${chosen ? "font-semibold" : "font-normal"} ${standing?.out ? "text-soft" : ""}`}
                >
                  <span className="flex items-baseline gap-1.5">
                    <SideMark side={option.control ? "control" : "trial"} size={9} />
                    {option.pair ? (
                      <Link to={`/pairs/${option.pair}`} className="quiet-link">
                        {option.name}
                      </Link>
                    ) : (
                      option.name
                    )}
                  </span>
                </th>
                {kinds.map((kind) => {
                  const figure = option.figures[kind.name];
                  const state = standing?.checked.find((each) => each.limit === kind.name)?.state ?? "keeps";
                  return (
                    <td key={kind.name} className="number" data-limit={state}>
                      {figure ? (
                        <>
                          <span className={state === "breaks" ? "text-fault" : ""}>
                            {figureWords(kind, figure.value)}
                          </span>
                          <span className="block text-soft text-xs leading-tight" title={figure.method}>
                            {kind.name === "stops" ? "" : spread(figure.interval).replace("no interval", "")}
                            {figure.where ? ` ${figure.where}` : ""}
                          </span>
                        </>
                      ) : (
                        <span className="text-soft">not known</span>
                      )}
                      {state in STATES && figure ? (
                        <span className="block text-fault text-xs leading-tight">{STATES[state]}</span>
                      ) : null}
                    </td>
                  );
                })}
                <td className="text-sm">{standsWords(decision, use, option)}</td>
                <td className="text-right">
                  {chosen && use.by_hand ? (
                    <button type="button" className="act" onClick={() => props.onChoose(null)}>
                      Let the rules choose
                    </button>
                  ) : chosen ? null : (
                    <button
                      type="button"
                      className="act"
                      onClick={() => props.onChoose(option.option)}
                      aria-label={`Choose ${option.name} for ${use.title.toLowerCase()}`}
                    >
                      Choose
                    </button>
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}

function standsWords(decision: Decision, use: Use, option: Option): string {
  const standing = use.standings[option.key];
  if (option.key === use.chosen) return use.by_hand ? "chosen by hand" : "chosen";
  if (!standing) return "";
  if (standing.out) {
    const why = standing.checked.filter((each) => each.state === "breaks" || each.state === "not known");
    const names = why.map((each) =>
      decision.limit_kinds.find((kind) => kind.name === each.limit)?.title.toLowerCase(),
    );
    return names.length > 0 ? `out: ${names.join(", ")}` : "out: not measured";
  }
  if (use.ties.includes(option.key)) return "no different from the chosen";
  if (standing.on_frontier === "frontier")
    return option.key === use.knee ? "on the frontier, its knee" : "on the frontier";
  const other = nameOf(decision, standing.beaten_by);
  return standing.on_frontier === "tie" ? `no different from ${other}` : `beaten by ${other}`;
}

/** The chosen first, then the frontier by time, then the beaten, then those out. */
function rank(use: Use, option: Option): number {
  const standing = use.standings[option.key];
  const seconds = option.figures.seconds?.value ?? 1e9;
  const group =
    option.key === use.chosen ? 0 : standing?.out ? 3 : standing?.on_frontier === "frontier" ? 1 : 2;
  return group * 1e10 + Math.min(seconds, 1e9);
}
