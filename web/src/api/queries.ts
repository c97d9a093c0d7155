import { queryOptions } from "@tanstack/react-query";
import { api, body } from "./client";

const WHILE_RUNNING = 600;
const AT_REST = 5000;

export const sessionQuery = queryOptions({
  queryKey: ["session"],
  queryFn: () => body(api.GET("/api/session/")),
  refetchInterval: AT_REST,
});

export const scenesQuery = queryOptions({
  queryKey: ["scenes"],
  queryFn: () => body(api.GET("/api/scenes/")),
});

export const enginesQuery = queryOptions({
  queryKey: ["engines"],
  queryFn: () => body(api.GET("/api/engines/")),
});

export const overviewQuery = queryOptions({
  queryKey: ["overview"],
  queryFn: () => body(api.GET("/api/overview/")),
  refetchInterval: (query) =>
    query.state.data?.studies.some((study) => study.state === "running") ? 1500 : AT_REST,
});

export const studyQuery = (id: number) =>
  queryOptions({
    queryKey: ["study", id],
    queryFn: () => body(api.GET("/api/studies/{id}/", { params: { path: { id } } })),
  });

export const runsQuery = (id: number) =>
  queryOptions({
    queryKey: ["runs", id],
    queryFn: () => body(api.GET("/api/studies/{id}/runs/", { params: { path: { id } } })),
    refetchInterval: (query) => (query.state.data?.state === "running" ? WHILE_RUNNING : AT_REST),
  });

export const runQuery = (id: number) =>
  queryOptions({
    queryKey: ["run", id],
    queryFn: () => body(api.GET("/api/runs/{id}/", { params: { path: { id } } })),
    refetchInterval: 2000,
  });

export const pairQuery = (id: number) =>
  queryOptions({
    queryKey: ["pair", id],
    queryFn: () => body(api.GET("/api/pairs/{id}/", { params: { path: { id } } })),
    refetchInterval: AT_REST,
  });
