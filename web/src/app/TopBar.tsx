import { useQuery } from "@tanstack/react-query";
import { Link, NavLink } from "react-router";
import { sessionQuery } from "../api/queries";
import { SideMark } from "../parts/Side";

const SCREENS = [
  ["/", "Studies"],
  ["/studies/new", "New study"],
  ["/queue", "Queue"],
  ["/scenes", "Scenes"],
  ["/textures", "Textures"],
  ["/engines", "Engines"],
  ["/recipes", "Recipes"],
  ["/imports", "Imported renders"],
] as const;

export function TopBar() {
  const session = useQuery(sessionQuery);
  return (
    <header className="flex h-10 shrink-0 items-center gap-6 border-line border-b px-3.5 print:hidden">
      <Link to="/" className="flex items-center gap-2 font-semibold">
        <span className="flex">
          <SideMark side="control" size={12} />
          <SideMark side="trial" size={12} />
        </span>
        Matched Pair
      </Link>
      <nav aria-label="Main" className="flex gap-5">
        {SCREENS.map(([to, title]) => (
          <NavLink key={to} to={to} end={to === "/"} className="aria-[current=page]:font-semibold">
            {title}
          </NavLink>
        ))}
      </nav>
      <p className="ml-auto text-sm text-soft">
        {session.error ? (
          <span role="alert" className="text-fault">
            The server does not answer; what you see may be old.
          </span>
        ) : session.data?.runner === "missing" ? (
          <span role="alert" className="text-fault">
            No runner is at work, so renders wait. Start it with make demo.
          </span>
        ) : session.data?.measurer === "missing" ? (
          <span role="alert" className="text-fault">
            Nothing is measured: the measurer is not at work. Start it with make demo.
          </span>
        ) : session.data?.doing ? (
          `Now ${session.data.doing}`
        ) : session.data ? (
          "Runner ready"
        ) : null}
      </p>
    </header>
  );
}
