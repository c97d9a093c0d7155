import { useQuery } from "@tanstack/react-query";
import { api, body, type Schema } from "../api/client";
import { transformsQuery } from "../api/queries";

export type TransformShader = Schema["TransformShader"];

/** How light is brought to the screen: plain sRGB, which the viewer computes itself, or what OpenColorIO wrote. */
export type Transform =
  | { state: "loading" }
  | { state: "plain"; name: string; trouble: string }
  | { state: "shader"; shader: TransformShader };

const PLAIN = "sRGB - Display / Un-tone-mapped";

export function useTransform(name: string): Transform {
  const transforms = useQuery({ ...transformsQuery, enabled: name === "" });
  const asked = name || transforms.data?.default || "";
  const shader = useQuery({
    queryKey: ["transform shader", asked],
    queryFn: () => body(api.GET("/api/view-transforms/shader/", { params: { query: { name: asked } } })),
    enabled: asked !== "" && asked !== PLAIN,
    staleTime: Number.POSITIVE_INFINITY,
    retry: 1,
  });
  if (asked === PLAIN) return { state: "plain", name: PLAIN, trouble: "" };
  if (shader.data) return { state: "shader", shader: shader.data };
  const error = transforms.error ?? shader.error;
  if (error)
    return {
      state: "plain",
      name: PLAIN,
      trouble: `Shown as plain sRGB: the view transform ${asked} cannot be used.`,
    };
  return { state: "loading" };
}
