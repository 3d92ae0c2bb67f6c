import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";

import { call, type Schemas } from "../../app/http";
import type { Finding } from "../profiles/queries";

export type Drafts = Schemas["DraftsOut"];
export type Draft = Schemas["DraftOut"];
export type Edit = Schemas["EditWire"];
export type Read = Schemas["TextOut"];
export type Review = Schemas["ReviewOut"];
export type Layer = Schemas["LayerOut"];

export function useDrafts(title: string) {
  return useQuery({
    queryKey: ["drafts", title],
    queryFn: () => call<Drafts>(`/titles/${title}/draft`),
    staleTime: 0,
    refetchInterval: 8_000, // whoever is second is told while they type, not only at the end
  });
}

export function readText(document: string, edits: Edit[] = []): Promise<Read> {
  return call<Read>("/documents/read", { method: "POST", body: { document, edits } });
}

export function saveDraft(title: string, document: string, base: number, seen: number): Promise<Draft> {
  return call<Draft>(`/titles/${title}/draft`, { method: "PUT", body: { document, base }, ifMatch: String(seen) });
}

export function useReview(title: string, draft: Draft | null | undefined, revision: number) {
  return useQuery({
    queryKey: ["review", title, draft?.version, draft?.base, revision],
    queryFn: () =>
      call<Review>(`/titles/${title}/draft/review`, { method: "POST", body: { document: draft!.document, base: draft!.base } }),
    enabled: Boolean(draft),
  });
}

export function useDropDraft(title: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: () => call<void>(`/titles/${title}/draft`, { method: "DELETE" }),
    onSuccess: () => client.invalidateQueries({ queryKey: ["drafts", title] }),
  });
}

/** The draft's text replaced, on a base of its own: going back, merging. */
export function useReplaceDraft(title: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ document, base }: { document: string; base: number }) => {
      const now = await call<Drafts>(`/titles/${title}/draft`);
      return saveDraft(title, document, base, now.draft?.version ?? 0);
    },
    onSuccess: () => client.invalidateQueries({ queryKey: ["drafts", title] }),
  });
}

/** Makes findings' edits in one's draft, then shows what it would change. */
export function useDraftFix(title: string) {
  const client = useQueryClient();
  const navigate = useNavigate();
  return useMutation({
    mutationFn: async (findings: Finding[]) => {
      const now = await call<Drafts>(`/titles/${title}/draft`);
      const made = await readText(
        now.draft?.document ?? now.document,
        findings.flatMap((f) => f.fix),
      );
      return saveDraft(title, made.document, now.draft?.base ?? now.revision, now.draft?.version ?? 0);
    },
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: ["drafts", title] });
      void navigate(`/titles/${title}/document/review`);
    },
  });
}

/** Leaves the page first: the draft that it shows is gone once the revision is made. */
export function useMakeRevision(title: string) {
  const client = useQueryClient();
  const navigate = useNavigate();
  return useMutation({
    mutationFn: ({ document, message, seen, key }: { document: string; message: string; seen: number; key: string }) =>
      call<Schemas["Title"]>(`/titles/${title}/revisions`, { method: "POST", body: { document, message }, ifMatch: String(seen), key }),
    onSuccess: (made) => {
      void navigate(`/titles/${title}/document?revision=${made.revision}&view=change`);
      void client.invalidateQueries();
    },
  });
}

export function useRevisionChange(title: string, number: number | undefined, wanted: boolean) {
  return useQuery({
    queryKey: ["change", title, number],
    queryFn: () => call<Schemas["RevisionChange"]>(`/titles/${title}/revisions/${number}/change`),
    enabled: wanted && number !== undefined,
    staleTime: Infinity,
  });
}
