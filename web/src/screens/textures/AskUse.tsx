import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, body, type Schema } from "../../api/client";
import { Notice } from "../../parts/Notice";
import { NamedField, SizeFields } from "./fields";

type Plan = Schema["TexturePlan"];

/** Asks an engine how large the views show each map, for the size that will be rendered. */
export function AskUse({ plan, onPlan }: { plan: Plan; onPlan: (plan: Plan) => void }) {
  const [engine, setEngine] = useState(plan.engines[0]?.name ?? "");
  const [size, setSize] = useState({
    width: String(plan.asked?.width ?? 1920),
    height: String(plan.asked?.height ?? 1080),
  });
  const ask = useMutation({
    mutationFn: () =>
      body(
        api.POST("/api/textures/use/", {
          body: { place: plan.place, engine, width: Number(size.width), height: Number(size.height) },
        }),
      ),
    onSuccess: onPlan,
  });
  return (
    <section>
      <h2 className="text-lg font-semibold">How large they appear</h2>
      <p className="mt-0.5 max-w-[34rem] text-sm">{toldBy(plan)}</p>
      {plan.scene === "" ? null : plan.engines.length === 0 ? (
        <p className="mt-1 text-soft text-sm">
          No engine here can tell: its definition has no “texture_use”; see docs/engine-definitions.md.
        </p>
      ) : (
        <form
          className="mt-2 flex flex-wrap items-end gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            ask.mutate();
          }}
        >
          <NamedField title="Engine" rows={plan.engines} value={engine} onChange={setEngine} />
          <SizeFields title="Final width" value={size} onChange={setSize} />
          <button type="submit" className="act" disabled={ask.isPending}>
            {ask.isPending ? "Asking …" : "Ask the engine"}
          </button>
        </form>
      )}
      {ask.error ? (
        <Notice kind="fault">
          <p>{ask.error.message}</p>
        </Notice>
      ) : null}
    </section>
  );
}

function toldBy(plan: Plan): string {
  if (plan.scene === "")
    return "A folder by itself is shown by no view; the roles alone decide. Plan the scene to know more.";
  const { asked } = plan;
  if (!asked) return "Not asked yet: the roles alone decide.";
  const frames = asked.frames.length > 1 ? `frames ${asked.frames.join(", ")}` : `frame ${asked.frames[0]}`;
  const told = `Told by ${asked.engine_title} for ${asked.width} × ${asked.height}, ${asked.views.length} views, ${frames}: what one tile spans where it is nearest.`;
  return asked.out_of_date ? `${told} The scene has changed since; ask again.` : told;
}
