import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";

import { call, type Schemas } from "../../app/http";

export type Run = Schemas["Run"];
export type RunSummary = Schemas["RunSummary"];
export type Plan = Schemas["Plan"];
export type NewRuns = Schemas["NewRuns"];

export const ENDED = new Set(["done", "failed", "cancelled", "superseded"]);

export function useRuns(title: string, filter: Record<string, string | number | undefined>) {
  const query = new URLSearchParams(Object.entries(filter).flatMap(([k, v]) => (v ? [[k, String(v)]] : [])));
  return useQuery({
    queryKey: ["runs", title, query.toString()],
    queryFn: () => call<Schemas["Page_RunSummary_"]>(`/titles/${title}/runs?${query}`),
    placeholderData: keepPreviousData,
    refetchInterval: 15_000,
  });
}

/** Hears of runs that move, and has lists asked for again: at most once a second. */
export function useRunsLive(title: string) {
  const queries = useQueryClient();
  useEffect(() => {
    const source = new EventSource(`/api/v1/titles/${title}/runs/stream`);
    let timer = 0;
    source.addEventListener("runs", () => {
      window.clearTimeout(timer);
      timer = window.setTimeout(() => {
        void queries.invalidateQueries({ queryKey: ["runs", title] });
        void queries.invalidateQueries({ queryKey: ["queue"] });
      }, 300);
    });
    return () => {
      window.clearTimeout(timer);
      source.close();
    };
  }, [title, queries]);
}

export function useQueue() {
  return useQuery({ queryKey: ["queue"], queryFn: () => call<Schemas["Queue"]>("/queue"), refetchInterval: 3_000 });
}

export function useRun(title: string, number: number) {
  return useQuery({
    queryKey: ["run", title, number],
    queryFn: () => call<Run>(`/titles/${title}/runs/${number}`),
    // Events tell sooner; this is for when there are too many who watch.
    refetchInterval: (query) => (query.state.data && ENDED.has(query.state.data.state) ? false : 6_000),
  });
}

export function usePlan(title: string, asked: NewRuns) {
  return useQuery({
    queryKey: ["plan", title, JSON.stringify(asked)],
    queryFn: () => call<Schemas["PlanList"]>(`/titles/${title}/runs/plan`, { method: "POST", body: asked }),
    enabled: asked.profiles!.length > 0,
    placeholderData: keepPreviousData,
    retry: false,
  });
}

export function useStart(title: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ asked, key }: { asked: NewRuns; key: string }) =>
      call<Schemas["RunList"]>(`/titles/${title}/runs`, { method: "POST", body: asked, key }),
    onSuccess: () => void queries.invalidateQueries({ queryKey: ["runs", title] }),
  });
}

export function useCancel(title: string, number: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () => call<Run>(`/titles/${title}/runs/${number}/cancel`, { method: "POST", body: {} }),
    onSuccess: (run) => queries.setQueryData(["run", title, number], run),
  });
}

export function useApprove(title: string, number: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () => call<Run>(`/titles/${title}/runs/${number}/approve`, { method: "POST", body: {} }),
    onSuccess: (run) => queries.setQueryData(["run", title, number], run),
  });
}

export function useAgain(title: string, number: number) {
  return useMutation({
    mutationFn: () =>
      call<Schemas["RunList"]>(`/titles/${title}/runs/${number}/repeat`, { method: "POST", body: {}, key: crypto.randomUUID() }),
  });
}
