import { useQuery } from "@tanstack/react-query";
import { Link, NavLink, useLocation } from "react-router";
import { csrfToken } from "../api/client";
import { sessionQuery } from "../api/queries";
import { useLastStudy } from "../parts/lastStudy";
import { SideMark } from "../parts/Side";
import { GoTo } from "./GoTo";

/** Work, kit and results: what is done every day, what it is done with, and what came of it. */
const GROUPS = [
  {
    title: "Work",
    screens: [
      ["/", "Studies"],
      ["/studies/new", "New study"],
      ["/queue", "Queue"],
    ],
  },
  {
    title: "Kit",
    screens: [
      ["/engines", "Engines"],
      ["/scenes", "Scenes"],
      ["/textures", "Textures"],
      ["/imports", "Imported renders"],
    ],
  },
  { title: "Results", screens: [["/recipes", "Recipes"]] },
] as const;

export function TopBar() {
  const session = useQuery(sessionQuery);
  return (
    <header className="flex h-10 shrink-0 items-center gap-4 border-line border-b px-3.5 print:hidden">
      <Link to="/" className="flex shrink-0 items-center gap-2 whitespace-nowrap font-semibold">
        <span className="flex">
          <SideMark side="control" size={12} />
          <SideMark side="trial" size={12} />
        </span>
        Matched Pair
      </Link>
      <nav aria-label="Main" className="flex shrink-0 whitespace-nowrap">
        {GROUPS.map((group, place) => (
          <ul
            key={group.title}
            aria-label={group.title}
            className={`flex gap-3 min-[1200px]:gap-4 ${place > 0 ? "ml-3 border-line border-l pl-3 min-[1200px]:ml-4 min-[1200px]:pl-4" : ""}`}
          >
            {group.screens.map(([to, title]) => (
              <li key={to}>
                <NavLink to={to} end={to === "/"} className="aria-[current=page]:font-semibold">
                  {title}
                </NavLink>
              </li>
            ))}
          </ul>
        ))}
      </nav>
      <LastStudy />
      <GoTo />
      <p className="ml-auto min-w-0 truncate text-sm text-soft">
        {session.error ? (
          <span role="alert" className="text-fault">
            The server does not answer; what you see may be old.
          </span>
        ) : session.data?.preparing ? (
          `Now ${session.data.preparing}`
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
      {session.data?.shared ? <SignOut name={session.data.name} /> : null}
    </header>
  );
}

/** The study that was looked at last: one click from everywhere else. */
function LastStudy() {
  const last = useLastStudy();
  const { pathname } = useLocation();
  if (!last || pathname === `/studies/${last.id}`) return null;
  return (
    <Link
      to={`/studies/${last.id}`}
      className="quiet-link hidden min-w-0 max-w-56 truncate text-sm min-[1200px]:block"
      title={last.question}
    >
      {last.question}
    </Link>
  );
}

function SignOut({ name }: { name: string }) {
  return (
    <form
      className="flex items-baseline gap-2 text-sm"
      onSubmit={(event) => {
        event.preventDefault();
        const headers = { "X-CSRFToken": csrfToken() };
        void fetch("/logout/", { method: "POST", headers }).then(() => window.location.assign("/login/"));
      }}
    >
      <span className="text-soft">{name}</span>
      <button type="submit" className="quiet-link">
        Sign out
      </button>
    </form>
  );
}
