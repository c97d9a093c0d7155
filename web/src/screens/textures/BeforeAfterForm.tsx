import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, body, type Schema } from "../../api/client";
import { enginesQuery } from "../../api/queries";
import { Notice } from "../../parts/Notice";
import { NamedField, SizeFields } from "./fields";

/** Renders the scene as it is and with reduced copies: a study of one pair. */
export function BeforeAfterForm(props: {
  plan: Schema["TexturePlan"];
  copies: string;
  scene: Schema["Scene"];
}) {
  const engines = useQuery(enginesQuery);
  const usable = (engines.data?.engines ?? []).filter((each) => !each.missing);
  const [chosen, setEngine] = useState("");
  const [view, setView] = useState(props.scene.views[0]?.name ?? "");
  const [size, setSize] = useState({ width: "480", height: "270" });
  const [open, setOpen] = useState(false);
  const navigate = useNavigate();
  const engine = chosen || (usable[0]?.name ?? "");
  const begin = useMutation({
    mutationFn: () =>
      body(
        api.POST("/api/textures/before-and-after/", {
          body: {
            place: props.plan.place,
            copies: props.copies,
            engine,
            view,
            width: Number(size.width),
            height: Number(size.height),
            repeats: 2,
          },
        }),
      ),
    onSuccess: (made) => void navigate(`/studies/${made.study}`),
  });
  if (!open)
    return (
      <button type="button" className="act mt-1" onClick={() => setOpen(true)}>
        Render before and after …
      </button>
    );
  return (
    <form
      className="mt-1 flex flex-wrap items-end gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        begin.mutate();
      }}
    >
      <NamedField title="Engine" rows={usable} value={engine} onChange={setEngine} />
      <NamedField title="View" rows={props.scene.views} value={view} onChange={setView} />
      <SizeFields value={size} onChange={setSize} />
      <button type="submit" className="act" disabled={begin.isPending}>
        Render both, twice each
      </button>
      {begin.error ? (
        <Notice kind="fault">
          <p>{begin.error.message}</p>
        </Notice>
      ) : null}
    </form>
  );
}
