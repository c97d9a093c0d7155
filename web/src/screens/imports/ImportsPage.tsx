import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, body } from "../../api/client";
import { importsQuery, transformsQuery } from "../../api/queries";
import { FileDrop } from "../../parts/FileDrop";
import { day } from "../../parts/format";
import { Labelled } from "../../parts/Labelled";
import { Failed, Loading, Notice } from "../../parts/Notice";
import { useRemembered } from "../../parts/remembered";
import { useTitle } from "../../parts/useTitle";
import { BringIn } from "./BringIn";
import { PatternField, useProposed, useTried } from "./PatternField";
import { type Source, sorted, sourceTitle } from "./sources";

const DISPLAY_ENCODED = /\.(png|jpe?g|tiff?)$/i;
const ACCEPT = ".exr,.hdr,.tif,.tiff,.png,.jpg,.jpeg,.csv,.json";

/** Renders made elsewhere: bring them in from this browser or a folder, and go on with what came in before. */
export function ImportsPage() {
  const sets = useQuery(importsQuery);
  const [source, setSource] = useState<Source | null>(null);
  useTitle("Imported renders");
  if (sets.error && !sets.data)
    return <Failed what="list" error={sets.error} retry={() => void sets.refetch()} />;
  if (!sets.data) return <Loading what="renders from elsewhere" />;
  return (
    <div className="mx-auto max-w-[76rem] px-6 py-6">
      <h1 className="text-xl font-semibold">{sentence(sets.data.length)}</h1>
      {source ? (
        <Prepare source={source} onCancel={() => setSource(null)} />
      ) : (
        <div className="mt-4 grid grid-cols-2 gap-6">
          <FileDrop
            accept={ACCEPT}
            many
            onFiles={(files) => files.length > 0 && setSource({ from: "browser", ...sorted(files) })}
          >
            Drop renders here, or choose them: EXR, HDR, TIFF, PNG, JPEG, with a CSV or JSON of settings and
            times beside them if there is one.
          </FileDrop>
          <FolderChoice onChosen={setSource} />
        </div>
      )}
      <ul className="mt-7 border-edge border-t">
        {sets.data.map((row) => (
          <li
            key={row.id}
            className="grid grid-cols-[132px_1fr_auto] items-start gap-5 border-line border-b py-3"
            data-import={row.title}
          >
            {row.thumbnail ? (
              <img src={`/api/pictures/${row.thumbnail}/thumbnail/`} alt="" className="w-[132px]" />
            ) : (
              <span className="text-soft text-sm">Nothing imported</span>
            )}
            <div>
              <h2 className="text-lg font-semibold leading-snug">
                <Link to={`/imports/${row.id}`} className="quiet-link">
                  {row.title}
                </Link>
              </h2>
              <p className="text-sm">
                {row.taken} imported
                {row.refused ? `, ${row.refused} could not be` : ""}
                {row.incomplete ? `, ${row.incomplete} to be filled in` : ""}
              </p>
            </div>
            <p className="text-soft text-sm">{day(row.created_at)}</p>
          </li>
        ))}
      </ul>
      <p className="mt-3 text-soft text-sm">
        On the server's machine, <code>matchedpair import FOLDER</code> hands renders over without a browser.
      </p>
    </div>
  );
}

function sentence(count: number): string {
  if (count === 0) return "Bring in renders that were made in another program or on a farm.";
  return `${count} ${count === 1 ? "set" : "sets"} of imported renders. Choose two options to make a pair.`;
}

function FolderChoice({ onChosen }: { onChosen: (source: Source) => void }) {
  const [folder, setFolder] = useRemembered("imports.folder", "");
  const list = useMutation({
    mutationFn: () => body(api.POST("/api/imports/folder/", { body: { folder } })),
    onSuccess: (found) => {
      if (found.names.length > 0) onChosen({ from: "folder", ...found });
    },
  });
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        list.mutate();
      }}
    >
      <Labelled title="Or a folder on the server's machine">
        <input
          className="field w-full"
          value={folder}
          placeholder="/shots/lantern-street/tests"
          onChange={(event) => setFolder(event.target.value)}
        />
      </Labelled>
      <button type="submit" className="act mt-2" disabled={list.isPending}>
        Look into the folder
      </button>
      {list.data && list.data.names.length === 0 ? (
        <p className="mt-1 text-soft">There is no picture in it.</p>
      ) : null}
      {list.error ? (
        <div className="mt-2">
          <Notice kind="fault">
            <p>{list.error.message}</p>
          </Notice>
        </div>
      ) : null}
    </form>
  );
}

/** Before anything is taken in: a title, how the names are made, and what display-encoded values went through. */
function Prepare({ source, onCancel }: { source: Source; onCancel: () => void }) {
  const names = source.from === "folder" ? source.names : source.pictures.map((file) => file.name);
  const transforms = useQuery(transformsQuery);
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [title, setTitle] = useState(sourceTitle(source));
  const [last, setLast] = useRemembered("imports.pattern", "");
  const [typed, setTyped] = useState<string | null>(null);
  const [transform, setTransform] = useState("");
  const [set, setSet] = useState<number | null>(null);
  const tables = source.from === "folder" ? source.tables : [];
  const [table, setTable] = useState(tables[0] ?? "");
  const beside = Boolean(table || (source.from === "browser" && source.table));
  const proposed = useProposed(names, last, beside);
  const pattern = typed ?? proposed ?? "";
  const tried = useTried(names, pattern);
  // until then what comes of the names may still move what is below them
  const ready = tried.fits && (typed ?? proposed) !== undefined;
  const begin = useMutation({
    mutationFn: () =>
      body(
        api.POST("/api/imports/", {
          body: { title: title.trim() || "Renders", source: source.from, pattern, transform },
        }),
      ),
    onSuccess: (made) => setSet(made.id),
  });
  if (set !== null) {
    return (
      <BringIn
        set={set}
        source={source}
        table={table}
        onDone={async () => {
          await queries.invalidateQueries({ queryKey: ["imports"] });
          await navigate(`/imports/${set}`);
        }}
      />
    );
  }
  return (
    <form
      className="mt-4 grid gap-4"
      onSubmit={(event) => {
        event.preventDefault();
        begin.mutate();
      }}
    >
      <p>
        {names.length} {names.length === 1 ? "picture" : "pictures"}
        {source.from === "browser" && source.table ? ` and the table ${source.table.name}` : ""}. Nothing is
        imported yet.
      </p>
      <div className="flex flex-wrap gap-5">
        {tables.length > 0 ? (
          <Labelled title="Table beside them">
            <select className="field" value={table} onChange={(event) => setTable(event.target.value)}>
              {tables.map((name) => (
                <option key={name}>{name}</option>
              ))}
              <option value="">none</option>
            </select>
          </Labelled>
        ) : null}
        <Labelled title="Title of this set">
          <input
            className="field w-80"
            value={title}
            maxLength={200}
            onChange={(event) => setTitle(event.target.value)}
          />
        </Labelled>
        {names.some((name) => DISPLAY_ENCODED.test(name)) ? (
          <Labelled title="What PNG, JPEG and TIFF values went through">
            <select
              className="field w-72"
              value={transform}
              onChange={(event) => setTransform(event.target.value)}
            >
              <option value="">Not known: look only, do not measure</option>
              <option value="linear">Nothing: linear light</option>
              {transforms.data?.names.map((each) => (
                <option key={each}>{each}</option>
              ))}
            </select>
          </Labelled>
        ) : null}
      </div>
      <PatternField
        names={names}
        pattern={pattern}
        tried={tried}
        proposed={typed === null}
        onChange={(changed) => {
          setTyped(changed);
          setLast(changed);
        }}
      />
      <div className="flex gap-3">
        <button type="submit" className="act" data-kind="main" disabled={begin.isPending || !ready}>
          Import {names.length === 1 ? "it" : `all ${names.length}`}
        </button>
        <button type="button" className="act" onClick={onCancel}>
          Not now
        </button>
      </div>
      {begin.error ? (
        <Notice kind="fault">
          <p>{begin.error.message}</p>
        </Notice>
      ) : null}
    </form>
  );
}
