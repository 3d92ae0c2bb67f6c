import { useQuery } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export function useTitles() {
  return useQuery({ queryKey: ["titles"], queryFn: () => call<Schemas["Page_Title_"]>("/titles") });
}

export function useTitle(title: string) {
  return useQuery({ queryKey: ["title", title], queryFn: () => call<Schemas["Title"]>(`/titles/${title}`) });
}

export function useRevisions(title: string) {
  return useQuery({
    queryKey: ["revisions", title],
    queryFn: () => call<Schemas["Page_Revision_"]>(`/titles/${title}/revisions`),
  });
}

export function useRevision(title: string, number: number | undefined) {
  return useQuery({
    queryKey: ["revision", title, number],
    queryFn: () => call<Schemas["RevisionText"]>(`/titles/${title}/revisions/${number}`),
    enabled: number !== undefined,
    staleTime: Infinity,
  });
}
