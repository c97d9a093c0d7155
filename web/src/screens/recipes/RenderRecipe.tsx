import { useMutation, useQuery } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, body, type Schema } from "../../api/client";
import { scenesQuery } from "../../api/queries";
import { useFocusBack } from "../../parts/focusBack";
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
  const focus = useFocusBack();
  return (
    <Dialog.Root open onOpenChange={(open) => (open ? null : onClose())}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/30" />
        <Dialog.Content
          {...focus}
          className="-translate-x-1/2 fixed top-24 left-1/2 z-50 w-[30rem] border border-edge bg-paper p-5"
        >
          <Dialog.Title className="font-semibold text-lg">
            Render with {recipe.name}, version {recipe.version}
          </Dialog.Title>
          <Dialog.Description className="mt-1 text-soft text-sm">
            Makes a study of its settings against the baseline that it was found with, two seeds each, and
            starts it.
          </Dialog.Description>
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
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
