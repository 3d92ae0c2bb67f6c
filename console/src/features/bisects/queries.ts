import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type Bisect = Schemas["Bisect"];
export type BisectCommit = Schemas["BisectCommit"];
export type BisectSummary = Schemas["BisectSummary"];
export type NewBisect = Schemas["NewBisect"];

const FAST = 2_000;

export function useBisects(title: string, asked: Record<string, string>) {
  const query = new URLSearchParams(asked);
  return useQuery({
    queryKey: ["bisects", title, query.toString()],
    queryFn: () => call<Schemas["BisectPage"]>(`/titles/${title}/bisects?${query}`),
    placeholderData: keepPreviousData,
    refetchInterval: 5_000,
  });
}

export function useBisect(title: string, number: number) {
  return useQuery({
    queryKey: ["bisect", title, number],
    queryFn: () => call<Bisect>(`/titles/${title}/bisects/${number}`),
    refetchInterval: (query) => (query.state.data?.state === "working" ? FAST : false),
  });
}

/** What it would do; asked once both ends are named. */
export function useBisectPlan(title: string, asked: NewBisect) {
  return useQuery({
    queryKey: ["bisect-plan", title, JSON.stringify(asked)],
    queryFn: () => call<Schemas["BisectPlan"]>(`/titles/${title}/bisects/plan`, { method: "POST", body: asked }),
    enabled: Boolean(asked.good && asked.bad),
    retry: false,
    staleTime: 0,
    gcTime: 0,
  });
}

export function useStartBisect(title: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ asked, key }: { asked: NewBisect; key: string }) =>
      call<Bisect>(`/titles/${title}/bisects`, { method: "POST", body: asked, key }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["bisects", title] }),
  });
}

export function useCancelBisect(title: string, number: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () => call<Bisect>(`/titles/${title}/bisects/${number}/cancel`, { method: "POST", body: {} }),
    onSuccess: (now) => queries.setQueryData(["bisect", title, number], now),
  });
}

export function useCommitDiff(title: string, number: number) {
  return useQuery({
    queryKey: ["bisect-diff", title, number],
    queryFn: () => call<Schemas["CommitDiff"]>(`/titles/${title}/bisects/${number}/diff`),
    staleTime: Infinity,
    retry: false,
  });
}
