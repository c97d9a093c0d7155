import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, body, type Schema } from "../../api/client";
import { scenesQuery } from "../../api/queries";
import { DialogBox } from "../../parts/DialogBox";
import { Labelled } from "../../parts/Labelled";
import { Notice } from "../../parts/Notice";

/** Where to render a recipe: it makes a study that holds it against its baseline there. */
export function RenderRecipe({ recipe, onClose }: { recipe: Schema["Recipe"]; onClose: () => void }) {
  const navigate = useNavigate();
  const scenes = useQuery(scenesQuery);
  const [use, setUse] = useState(recipe.uses[0]?.name ?? "");
  const [chosen, setScene] = useState("");
  const [asked, setView] = useState("");
  const scene = scenes.data?.scenes.find((each) => each.name === chosen) ?? scenes.data?.scenes[0];
  const view = scene?.views.find((each) => each.name === asked) ?? scene?.views[0];
  const render = useMutation({
    mutationFn: () =>
      body(
        api.POST("/api/recipes/{id}/render/", {
          params: { path: { id: recipe.id } },
          body: { use, scene: scene?.name ?? "", view: view?.name ?? "" },
        }),
      ),
    onSuccess: (made) => navigate(`/studies/${made.study}`),
  });
  return (
    <DialogBox
      title={`Render with ${recipe.name}, version ${recipe.version}`}
      about="Makes a study of its settings against the baseline that it was found with, two seeds each, and starts it."
      onOpenChange={onClose}
      place="above"
      className="w-[30rem] p-5"
    >
      <form
        className="mt-3 flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          render.mutate();
        }}
      >
        <Labelled title="Use">
          <select className="field w-full" value={use} onChange={(event) => setUse(event.target.value)}>
            {recipe.uses.map((each) => (
              <option key={each.name} value={each.name}>
                {each.title}
              </option>
            ))}
          </select>
        </Labelled>
        <Labelled title="Scene">
          <select
            className="field w-full"
            value={scene?.name ?? ""}
            onChange={(event) => setScene(event.target.value)}
          >
            {scenes.data?.scenes.map((each) => (
              <option key={each.name} value={each.name}>
                {each.title}
              </option>
            ))}
          </select>
        </Labelled>
        <Labelled title="View">
          <select
            className="field w-full"
            value={view?.name ?? ""}
            onChange={(event) => setView(event.target.value)}
          >
            {scene?.views.map((each) => (
              <option key={each.name} value={each.name}>
                {each.title}
              </option>
            ))}
          </select>
        </Labelled>
        {render.error ? (
          <Notice kind="fault">
            <p>{render.error.message}</p>
          </Notice>
        ) : null}
        <div className="flex justify-end gap-2">
          <button type="button" className="act" onClick={onClose}>
            Leave it
          </button>
          <button type="submit" className="act" data-kind="main" disabled={!view || render.isPending}>
            Render
          </button>
        </div>
      </form>
    </DialogBox>
  );
}
