import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type Build = Schemas["Build"];
export type BuildSummary = Schemas["BuildSummary"];

export type Comparison = Schemas["BuildComparison"];

export interface BuildFilter {
  profile?: string;
  state?: string;
  search?: string;
  sort?: string;
  cursor?: string;
  limit?: number;
}

export function useBuilds(title: string, filter: BuildFilter) {
  const query = new URLSearchParams(Object.entries(filter).flatMap(([k, v]) => (v ? [[k, String(v)]] : [])));
  return useQuery({
    queryKey: ["builds", title, query.toString()],
    queryFn: () => call<Schemas["Page_BuildSummary_"]>(`/titles/${title}/builds?${query}`),
    placeholderData: keepPreviousData,
    refetchInterval: 8_000,
  });
}

export function useBuild(title: string, number: number) {
  return useQuery({
    queryKey: ["build", title, number],
    queryFn: () => call<Build>(`/titles/${title}/builds/${number}`),
    refetchInterval: (query) => (query.state.data?.state === "open" ? 2_000 : false),
  });
}

export function useFiles(title: string, number: number, ready: boolean) {
  return useQuery({
    queryKey: ["files", title, number],
    queryFn: () => call<Schemas["FileList"]>(`/titles/${title}/builds/${number}/files`),
    enabled: ready,
    staleTime: Infinity,
  });
}

export function useLeftOut(title: string, number: number, ready: boolean) {
  return useQuery({
    queryKey: ["left-out", title, number],
    queryFn: () => call<Schemas["LeftOutList"]>(`/titles/${title}/builds/${number}/left-out`),
    enabled: ready,
    staleTime: Infinity,
  });
}

export function useNotes(title: string, number: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (notes: string) => call<Build>(`/titles/${title}/builds/${number}`, { method: "PATCH", body: { notes }, ifMatch: "*" }),
    onSuccess: (build) => queries.setQueryData(["build", title, number], build),
  });
}

export function usePin(title: string, number: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (pinned: boolean) => call<Build>(`/titles/${title}/builds/${number}`, { method: "PATCH", body: { pinned }, ifMatch: "*" }),
    onSuccess: (build) => queries.setQueryData(["build", title, number], build),
  });
}

export function useBuildComparison(title: string, left: string | number, right: string | number) {
  return useQuery({
    queryKey: ["build-comparison", title, String(left), String(right)],
    queryFn: () => call<Comparison>(`/titles/${title}/builds/comparison?left=${left}&right=${right}`),
    enabled: left !== "" && right !== "",
    retry: false,
  });
}
