import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type Release = Schemas["Release"];
export type ReleaseLine = Schemas["ReleaseLine"];
export type ReleaseNote = Schemas["ReleaseNote"];
export type ReleasePreview = Schemas["ReleasePreview"];

export function useReleases(title: string) {
  return useQuery({
    queryKey: ["releases", title],
    queryFn: () => call<Schemas["ReleasePage"]>(`/titles/${title}/releases`),
    refetchInterval: 15_000,
  });
}

export function useRelease(title: string, number: number) {
  return useQuery({
    queryKey: ["release", title, number],
    queryFn: () => call<Release>(`/titles/${title}/releases/${number}`),
    refetchInterval: 8_000,
  });
}

export function useMakeRelease(title: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["NewRelease"]) => call<Release>(`/titles/${title}/releases`, { method: "POST", body }),
    onSuccess: () => queries.invalidateQueries(),
  });
}

/** Adding a build, leaving a line out, writing notes: each answers the release as it is then. */
export function useChangeRelease(title: string, number: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ path, method, body }: { path: "builds" | "left-out" | "notes"; method: "POST" | "PUT"; body: object }) =>
      call<Release>(`/titles/${title}/releases/${number}/${path}`, { method, body }),
    onSuccess: (release) => {
      queries.setQueryData(["release", title, number], release);
      return queries.invalidateQueries();
    },
  });
}

/** What placing all of it would do; asked for again whenever the dialogue opens. */
export function useReleasePreview(title: string, number: number, channel: string) {
  return useQuery({
    queryKey: ["release-preview", title, number, channel],
    queryFn: () => call<ReleasePreview>(`/titles/${title}/releases/${number}/channels/${channel}/preview`, { method: "POST", body: {} }),
    staleTime: 0,
    gcTime: 0,
  });
}

export function usePlaceRelease(title: string, number: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ seen, key, extent }: { seen: ReleasePreview; key: string; extent: object }) =>
      call<Release>(`/titles/${title}/releases/${number}/channels/${seen.channel}/placements`, {
        method: "POST",
        body: extent,
        ifMatch: seen.etag,
        key,
      }),
    onSuccess: () => queries.invalidateQueries(),
  });
}

export function useNotesDraft(title: string, number: number, channel: string) {
  return useQuery({
    queryKey: ["notes-draft", title, number, channel],
    queryFn: () => call<Schemas["NotesDraft"]>(`/titles/${title}/releases/${number}/channels/${channel}/notes-draft`),
    enabled: channel !== "",
  });
}
