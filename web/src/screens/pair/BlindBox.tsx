import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, body, type Schema } from "../../api/client";
import { blindQuery } from "../../api/queries";
import { NameField } from "../../parts/NameField";
import { Notice } from "../../parts/Notice";
import { useRemembered } from "../../parts/remembered";

type Kind = Schema["BlindKindName"];
const KIND_TITLES: Record<Kind, string> = { same: "Same or different", better: "Which is better" };
const ROUNDS = [8, 16, 24, 40];
const WHOLE = "";

/** What blind tests tell of a pair, and a new one to begin. */
export function BlindBox({ pair, usualName }: { pair: Schema["Pair"]; usualName: string }) {
  const blind = useQuery(blindQuery(pair.id));
  return (
    <div className="text-sm" data-part="blind">
      {(blind.data?.results ?? []).map((row) => (
        <div key={row.kind} className="border-line border-b py-1" data-blind={row.kind}>
          <p>
            <span className="font-semibold">{KIND_TITLES[row.kind]}.</span> {row.together.sentence}
          </p>
          {row.people.length > 1 ? (
            <ul className="text-soft">
              {row.people.map((each) => (
                <li key={each.author}>
                  {each.author}: {each.result.sentence}
                </li>
              ))}
            </ul>
          ) : (
            <p className="text-soft">All by {row.people[0]?.author}.</p>
          )}
        </div>
      ))}
      {(blind.data?.open ?? []).map((test) => (
        <p key={test.id} className="py-1">
          <Link to={`/blind/${test.id}`} className="quiet-link">
            Go on with {test.author}'s rounds
          </Link>{" "}
          <span className="text-soft">
            {KIND_TITLES[test.kind].toLowerCase()}, {test.answered} of {test.rounds} answered
          </span>
        </p>
      ))}
      {blind.data && blind.data.results.length === 0 && blind.data.open.length === 0 ? (
        <p className="text-soft">Not judged blind yet.</p>
      ) : null}
      <Begin pair={pair} usualName={usualName} />
    </div>
  );
}

function Begin({ pair, usualName }: { pair: Schema["Pair"]; usualName: string }) {
  const navigate = useNavigate();
  const [kind, setKind] = useState<Kind>("same");
  const [rounds, setRounds] = useState(16);
  const [author, setAuthor] = useRemembered("author", usualName);
  const [zones, setZones] = useState<readonly string[]>([WHOLE]);
  const begin = useMutation({
    mutationFn: () =>
      body(
        api.POST("/api/pairs/{id}/blind/", {
          params: { path: { id: pair.id } },
          body: { kind, rounds, zones: [...zones], author },
        }),
      ),
    onSuccess: (test) => navigate(`/blind/${test.id}`),
  });
  const toggle = (zone: string) =>
    setZones((now) => (now.includes(zone) ? now.filter((each) => each !== zone) : [...now, zone]));
  return (
    <details className="mt-1">
      <summary className="quiet-link">Start a blind test</summary>
      <form
        className="mt-1 flex flex-col gap-1.5"
        onSubmit={(event) => {
          event.preventDefault();
          begin.mutate();
        }}
      >
        <label className="flex items-center justify-between gap-2">
          Question
          <select
            className="field flex-1"
            value={kind}
            onChange={(event) => setKind(event.target.value as Kind)}
          >
            {(Object.keys(KIND_TITLES) as Kind[]).map((each) => (
              <option key={each} value={each}>
                {KIND_TITLES[each]}
              </option>
            ))}
          </select>
        </label>
        <label className="flex items-center justify-between gap-2">
          Rounds
          <select
            className="field flex-1"
            value={rounds}
            onChange={(event) => setRounds(Number(event.target.value))}
          >
            {ROUNDS.map((each) => (
              <option key={each}>{each}</option>
            ))}
          </select>
        </label>
        <fieldset>
          <legend className="text-soft">Places, in turn</legend>
          {[{ zone: WHOLE }, ...pair.zones].map(({ zone }) => (
            <label key={zone} className="flex items-center gap-1.5">
              <input
                type="checkbox"
                className="accent-ink"
                checked={zones.includes(zone)}
                onChange={() => toggle(zone)}
              />
              {zone || "the whole picture"}
            </label>
          ))}
        </fieldset>
        <div className="flex items-end gap-2">
          <NameField value={author} onChange={setAuthor} />
          <button
            type="submit"
            className="act"
            disabled={begin.isPending || !author.trim() || zones.length === 0}
          >
            Begin
          </button>
        </div>
        {begin.error ? (
          <Notice kind="fault">
            <p>{begin.error.message}</p>
          </Notice>
        ) : null}
      </form>
    </details>
  );
}
