import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { api, body, type Schema } from "./client";
import { askAgainAfter } from "./events";

const WHILE_RUNNING = 400;
const COPYING = 700;
const AT_REST = 5000;

export const sessionQuery = queryOptions({
  queryKey: ["session"],
  queryFn: () => body(api.GET("/api/session/")),
  refetchInterval: AT_REST, // who is there is told by nobody who is gone
});

/** What was set aside because it failed repeatedly. */
export const troublesQuery = queryOptions({
  queryKey: ["troubles"],
  queryFn: () => body(api.GET("/api/troubles/")),
  refetchInterval: () => askAgainAfter(AT_REST),
});

/** How the copy of everything stands; asked often while one is made. */
export const backupQuery = queryOptions({
  queryKey: ["backup"],
  queryFn: () => body(api.GET("/api/backup/")),
  refetchInterval: (query) => (query.state.data?.at_work ? COPYING : AT_REST),
});

export const undescribedQuery = queryOptions({
  queryKey: ["undescribed"],
  queryFn: () => body(api.GET("/api/scenes/undescribed/")),
});

export const scenesQuery = queryOptions({
  queryKey: ["scenes"],
  queryFn: () => body(api.GET("/api/scenes/")),
  refetchInterval: (query) => (query.state.data?.reading ? 2000 : false),
});

export const enginesQuery = queryOptions({
  queryKey: ["engines"],
  queryFn: () => body(api.GET("/api/engines/")),
});

export const texturePlacesQuery = queryOptions({
  queryKey: ["texture places"],
  queryFn: () => body(api.GET("/api/textures/")),
});

export const texturePlanQuery = (place: string) =>
  queryOptions({
    queryKey: ["texture plan", place],
    queryFn: () => body(api.GET("/api/textures/plan/", { params: { query: { place } } })),
    refetchInterval: (query) => (query.state.data?.unread ? 100 : AT_REST),
  });

export const transformsQuery = queryOptions({
  queryKey: ["view transforms"],
  queryFn: () => body(api.GET("/api/view-transforms/")),
  staleTime: Number.POSITIVE_INFINITY,
});

export const zonesQuery = (scene: string) =>
  queryOptions({
    queryKey: ["zones", scene],
    queryFn: async () =>
      (await body(
        api.GET("/api/scenes/{name}/zones/", { params: { path: { name: scene } } }),
      )) as Schema["Zone"][],
  });

export const referencesQuery = (scene: string) =>
  queryOptions({
    queryKey: ["references", scene],
    queryFn: () => body(api.GET("/api/references/", { params: { query: { scene } } })),
  });

export const panoramasQuery = queryOptions({
  queryKey: ["panoramas"],
  queryFn: () => body(api.GET("/api/panoramas/")),
});

export const importsQuery = queryOptions({
  queryKey: ["imports"],
  queryFn: () => body(api.GET("/api/imports/")),
  refetchInterval: () => askAgainAfter(AT_REST),
});

export const importQuery = (id: number) =>
  queryOptions({
    queryKey: ["import", id],
    queryFn: () => body(api.GET("/api/imports/{id}/", { params: { path: { id } } })),
  });

export const importLayersQuery = (id: number) =>
  queryOptions({
    queryKey: ["layers of import", id],
    queryFn: () => body(api.GET("/api/imports/{id}/layers/", { params: { path: { id } } })),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const viewPictureQuery = (scene: string, view: string, variant: string) =>
  queryOptions({
    queryKey: ["picture of view", scene, view, variant],
    queryFn: () => body(api.GET("/api/pictures/of-view/", { params: { query: { scene, view, variant } } })),
  });

export const buildsQuery = queryOptions({
  queryKey: ["builds at work"],
  queryFn: () => body(api.GET("/api/runs/builds/")),
});

export const overviewQuery = (archived: boolean) =>
  queryOptions({
    queryKey: ["overview", archived],
    queryFn: () => body(api.GET("/api/overview/", { params: { query: { archived } } })),
    refetchInterval: (query) => {
      const studies = query.state.data?.studies ?? [];
      if (studies.some((study) => !study.gathered)) return 300;
      return askAgainAfter(studies.some((study) => study.state === "running") ? 1500 : AT_REST);
    },
  });

export const studyQuery = (id: number) =>
  queryOptions({
    queryKey: ["study", id],
    queryFn: () => body(api.GET("/api/studies/{id}/", { params: { path: { id } } })),
  });

export const progressQuery = (id: number) =>
  queryOptions({
    queryKey: ["progress", id],
    queryFn: () => body(api.GET("/api/studies/{id}/progress/", { params: { path: { id } } })),
    refetchInterval: (query) =>
      askAgainAfter(
        query.state.data?.state === "running" || query.state.data?.besides_open ? WHILE_RUNNING : AT_REST,
      ),
  });

export const answerQuery = (id: number) =>
  queryOptions({
    queryKey: ["answer", id],
    queryFn: () => body(api.GET("/api/studies/{id}/answer/", { params: { path: { id } } })),
    refetchInterval: () => askAgainAfter(AT_REST),
  });

/** What shows an answer; `of` is what it was asked for, so that another answer brings other pictures. */
export const proofQuery = (id: number, of: string) =>
  queryOptions({
    queryKey: ["proof", id, of],
    queryFn: () => body(api.GET("/api/studies/{id}/proof/", { params: { path: { id } } })),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const measuresQuery = (id: number, zone: string) =>
  queryOptions({
    queryKey: ["measures", id, zone],
    queryFn: () =>
      body(api.GET("/api/studies/{id}/measures/", { params: { path: { id }, query: { zone } } })),
    refetchInterval: () => askAgainAfter(AT_REST),
    placeholderData: keepPreviousData,
  });

export const curvesQuery = (id: number, zone: string, of: "noise" | "error") =>
  queryOptions({
    queryKey: ["curves", id, zone, of],
    queryFn: () =>
      body(api.GET("/api/studies/{id}/curves/", { params: { path: { id }, query: { zone, of } } })),
    refetchInterval: () => askAgainAfter(AT_REST),
    placeholderData: keepPreviousData,
  });

export const effectsQuery = (id: number, zone: string) =>
  queryOptions({
    queryKey: ["effects", id, zone],
    queryFn: () => body(api.GET("/api/studies/{id}/effects/", { params: { path: { id }, query: { zone } } })),
    placeholderData: keepPreviousData,
  });

export const matchingsQuery = (id: number) =>
  queryOptions({
    queryKey: ["matchings", id],
    queryFn: () => body(api.GET("/api/studies/{id}/matchings/", { params: { path: { id } } })),
    refetchInterval: (query) =>
      askAgainAfter(query.state.data?.some((row) => row.state === "searching") ? WHILE_RUNNING : AT_REST),
  });

export const motionQuery = (id: number, zone: string) =>
  queryOptions({
    queryKey: ["motion", id, zone],
    queryFn: () => body(api.GET("/api/studies/{id}/motion/", { params: { path: { id }, query: { zone } } })),
    refetchInterval: () => askAgainAfter(AT_REST),
    placeholderData: keepPreviousData,
  });

export const searchesQuery = (id: number) =>
  queryOptions({
    queryKey: ["searches", id],
    queryFn: () => body(api.GET("/api/studies/{id}/searches/", { params: { path: { id } } })),
    refetchInterval: (query) =>
      askAgainAfter(
        query.state.data?.searches.some((row) => row.state === "searching" || row.state === "confirming")
          ? WHILE_RUNNING
          : AT_REST,
      ),
  });

export const decisionQuery = (id: number, place: string) =>
  queryOptions({
    queryKey: ["decision", id, place],
    queryFn: () =>
      body(api.GET("/api/studies/{id}/decision/", { params: { path: { id }, query: { place } } })),
    refetchInterval: () => askAgainAfter(AT_REST),
    placeholderData: keepPreviousData,
  });

export const recipesQuery = (study?: number) =>
  queryOptions({
    queryKey: ["recipes", study ?? 0],
    queryFn: () =>
      body(api.GET("/api/recipes/", { params: { query: study === undefined ? {} : { study } } })),
  });

export const questionsQuery = queryOptions({
  queryKey: ["questions"],
  queryFn: () => body(api.GET("/api/questions/")),
  staleTime: Number.POSITIVE_INFINITY,
});

export const queueQuery = queryOptions({
  queryKey: ["queue"],
  queryFn: () => body(api.GET("/api/queue/")),
  refetchInterval: (query) => askAgainAfter(query.state.data?.runs.length ? WHILE_RUNNING : 2000),
});

/** Which rows of the run table, in which order. */
export type Asked = {
  text: string;
  states: string;
  sort: string;
  group: string;
  old: boolean;
  throwaway: boolean;
};

export const PAGE_ROWS = 100;

export const tableQuery = (id: number, asked: Asked, page: number) =>
  queryOptions({
    queryKey: ["table", id, asked, page],
    queryFn: () =>
      body(
        api.GET("/api/studies/{id}/table/", {
          params: { path: { id }, query: { ...asked, offset: page * PAGE_ROWS, limit: PAGE_ROWS } },
        }),
      ),
  });

export const groupsQuery = (id: number, asked: Asked) =>
  queryOptions({
    queryKey: ["groups", id, asked],
    queryFn: () =>
      body(api.GET("/api/studies/{id}/table/groups/", { params: { path: { id }, query: asked } })),
    enabled: asked.group !== "",
    placeholderData: keepPreviousData,
  });

export const runQuery = (id: number) =>
  queryOptions({
    queryKey: ["run", id],
    queryFn: () => body(api.GET("/api/runs/{id}/", { params: { path: { id } } })),
    refetchInterval: () => askAgainAfter(2000),
  });

export const pyramidKey = (digest: string) => ["pyramid", digest] as const;

export const pairQuery = (id: number) =>
  queryOptions({
    queryKey: ["pair", id],
    queryFn: async ({ client }) => {
      const pair = await body(api.GET("/api/pairs/{id}/", { params: { path: { id } } }));
      for (const pyramid of pair.pyramids) client.setQueryData(pyramidKey(pyramid.digest), pyramid);
      return pair;
    },
    refetchInterval: () => askAgainAfter(AT_REST),
  });

export const besideQuery = (pair: number) =>
  queryOptions({
    queryKey: ["beside", pair],
    queryFn: () => body(api.GET("/api/pairs/{id}/beside/", { params: { path: { id: pair } } })),
  });

export const criteriaQuery = queryOptions({
  queryKey: ["criteria"],
  queryFn: () => body(api.GET("/api/criteria/")),
});

export const blindQuery = (pair: number) =>
  queryOptions({
    queryKey: ["blind", pair],
    queryFn: () => body(api.GET("/api/pairs/{id}/blind/", { params: { path: { id: pair } } })),
  });

export const blindTestQuery = (id: number) =>
  queryOptions({
    queryKey: ["blind test", id],
    queryFn: () => body(api.GET("/api/blind/{id}/", { params: { path: { id } } })),
  });

/** How a contact sheet is arranged; empty for the usual. */
export type Arranged = {
  rows: string;
  columns: string;
  zone: string;
  seed: string;
  at: string[];
};

export const contactQuery = (study: number, { rows, columns, zone, seed, at }: Arranged) =>
  queryOptions({
    queryKey: ["contact sheet", study, rows, columns, zone, seed, at],
    queryFn: () =>
      body(
        api.GET("/api/studies/{id}/contact-sheet/", {
          params: {
            path: { id: study },
            query: { rows, columns, zone, at, ...(seed ? { seed: Number(seed) } : {}) },
          },
        }),
      ),
    placeholderData: keepPreviousData,
  });
