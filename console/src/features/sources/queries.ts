import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type Source = Schemas["SourceOut"];
export type Trigger = Schemas["TriggerOut"];
export type StepVariables = Schemas["StepVariablesOut"];

export function useSource(title: string) {
  return useQuery({
    queryKey: ["source", title],
    queryFn: () => call<Source>(`/titles/${title}/source`),
    retry: false,
    refetchInterval: 5_000,
  });
}

export function useRefs(title: string, kind: "branch" | "tag", search = "") {
  return useQuery({
    queryKey: ["refs", title, kind, search],
    queryFn: () =>
      call<Schemas["Page_RefOut_"]>(`/titles/${title}/source/refs?kind=${kind}&limit=200&search=${encodeURIComponent(search)}`),
    placeholderData: keepPreviousData,
    retry: false,
  });
}

export function useCommits(title: string, of: string, cursor: string) {
  const query = new URLSearchParams({ of, limit: "30", ...(cursor ? { cursor } : {}) });
  return useQuery({
    queryKey: ["commits", title, query.toString()],
    queryFn: () => call<Schemas["Page_CommitOut_"]>(`/titles/${title}/source/commits?${query}`),
    placeholderData: keepPreviousData,
    retry: false,
  });
}

export function useSeenDocument(title: string) {
  return useQuery({
    queryKey: ["seen-document", title],
    queryFn: () => call<Schemas["SeenDocument"]>(`/titles/${title}/source/proposal`),
    retry: false,
  });
}

export function useMatches(title: string, kind: string, pattern: string) {
  return useQuery({
    queryKey: ["matches", title, kind, pattern],
    queryFn: () => call<Schemas["MatchesOut"]>(`/titles/${title}/source/matches?kind=${kind}&pattern=${encodeURIComponent(pattern)}`),
    enabled: pattern !== "",
    placeholderData: keepPreviousData,
    retry: false,
  });
}

export function useConnect(title: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["SourceIn"]) => call<Source>(`/titles/${title}/source`, { method: "PUT", body }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["source", title] }),
  });
}

export function useFetch(title: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () => call<Source>(`/titles/${title}/source/fetch`, { method: "POST", body: {} }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["source", title] }),
  });
}

export function useDefaults(title: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (defaults: Schemas["BranchDefault"][]) =>
      call<Source>(`/titles/${title}/source/defaults`, { method: "PUT", body: { defaults } }),
    onSuccess: (source) => {
      queries.setQueryData(["source", title], source);
      void queries.invalidateQueries({ queryKey: ["refs", title] });
    },
  });
}

export function useTriggers(title: string) {
  return useQuery({
    queryKey: ["triggers", title],
    queryFn: () => call<Schemas["Page_TriggerOut_"]>(`/titles/${title}/triggers`),
    refetchInterval: 10_000,
  });
}

export function useTriggerActs(title: string) {
  const queries = useQueryClient();
  const onSuccess = () => queries.invalidateQueries({ queryKey: ["triggers", title] });
  return {
    add: useMutation({
      mutationFn: (body: Schemas["NewTrigger"]) => call<Trigger>(`/titles/${title}/triggers`, { method: "POST", body }),
      onSuccess,
    }),
    change: useMutation({
      mutationFn: ({ name, body }: { name: string; body: Schemas["TriggerIn"] }) =>
        call<Trigger>(`/titles/${title}/triggers/${name}`, { method: "PUT", body }),
      onSuccess,
    }),
    remove: useMutation({ mutationFn: (name: string) => call<void>(`/titles/${title}/triggers/${name}`, { method: "DELETE" }), onSuccess }),
  };
}

export function useStepVariables() {
  return useQuery({ queryKey: ["variables"], queryFn: () => call<Schemas["Page_StepVariablesOut_"]>("/variables"), retry: false });
}

export function usePutStepVariables() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ name, body, seen }: { name: string; body: Schemas["StepVariablesIn"]; seen?: number }) =>
      call<StepVariables>(`/variables/${name}`, { method: "PUT", body, ifMatch: seen === undefined ? undefined : String(seen) }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["variables"] }),
  });
}

export function useRemoveStepVariables() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (name: string) => call<void>(`/variables/${name}`, { method: "DELETE" }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["variables"] }),
  });
}
