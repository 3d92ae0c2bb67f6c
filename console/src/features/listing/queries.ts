import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";

import { call, type Schemas, sendFile } from "../../app/http";

export type Listing = Schemas["ListingOut"];
export type ListingDraft = Schemas["ListingDraft"];
export type Check = Schemas["ListingCheck"];
export type Finding = Schemas["ListingFindingOut"];
export type Edit = Schemas["ListingEditIn"];
export type Change = Schemas["ListingChange"];
export type Rules = Schemas["AllListingRules"];
export type Shown = Schemas["ShownOut"];
export type Picture = Schemas["ListingPictureOut"];
export type Rating = Schemas["RatingOut"];

const at = (title: string) => `/titles/${title}/listing`;

export function useRules() {
  return useQuery({ queryKey: ["listing-rules"], queryFn: () => call<Rules>("/listing-rules"), staleTime: Infinity });
}

export function useListing(title: string) {
  return useQuery({ queryKey: ["listing", title], queryFn: () => call<Listing>(at(title)) });
}

export function useCheck(title: string, draft = false, version = 0) {
  return useQuery({
    queryKey: ["listing-check", title, draft, version],
    queryFn: () => call<Check>(`${at(title)}/check?draft=${draft}`),
    placeholderData: (before) => before,
  });
}

export function useDraftOf(title: string) {
  return useQuery({
    queryKey: ["listing-draft", title],
    queryFn: () => call<ListingDraft>(`${at(title)}/draft`),
    staleTime: 0,
    refetchInterval: 8_000, // whoever is second is told while they type
  });
}

export function sendEdits(title: string, base: number, edits: Edit[], seen: number): Promise<ListingDraft> {
  return call<ListingDraft>(`${at(title)}/draft/edits`, { method: "POST", body: { base, edits }, ifMatch: String(seen) });
}

export function useReviewOf(title: string, version: number) {
  return useQuery({
    queryKey: ["listing-review", title, version],
    queryFn: () => call<Schemas["ListingReview"]>(`${at(title)}/draft/review`),
    enabled: version > 0,
    staleTime: 0,
  });
}

/** What a change of the draft or of the listing makes old. */
function useAct<Said, Made = unknown>(title: string, send: (said: Said) => Promise<Made>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: send,
    onSuccess: () => {
      for (const key of [
        "listing",
        "listing-draft",
        "listing-check",
        "listing-review",
        "listing-states",
        "listing-rating",
        "listing-links",
      ])
        void queries.invalidateQueries({ queryKey: [key, title] });
    },
  });
}

export function useRebase(title: string) {
  return useAct(title, (onto: number) => call(`${at(title)}/draft/rebase`, { method: "POST", body: { onto } }));
}

export function useDropListingDraft(title: string) {
  return useAct(title, () => call<void>(`${at(title)}/draft`, { method: "DELETE" }));
}

export function useSaveDraft(title: string) {
  return useAct(title, ({ message, seen }: { message: string; seen: number }) =>
    call<Listing>(`${at(title)}/draft/save`, { method: "POST", body: { message }, ifMatch: String(seen) }),
  );
}

/** Makes findings' edits in one's draft, and goes there. */
export function useFix(title: string) {
  const navigate = useNavigate();
  return useAct(title, async (findings: Finding[]) => {
    const draft = await call<ListingDraft>(`${at(title)}/draft`);
    await sendEdits(
      title,
      draft.base,
      findings.flatMap((f) => f.fix),
      draft.version,
    );
    void navigate(`/titles/${title}/listing/review`);
  });
}

export function sendPicture(title: string, file: File): Promise<Schemas["MadeListingPicture"]> {
  return sendFile(`${at(title)}/pictures`, file);
}

export function useStates(title: string) {
  return useQuery({ queryKey: ["listing-states", title], queryFn: () => call<Schemas["ListingStates"]>(`${at(title)}/states`) });
}

/** What a state has that another has not; the one before where none is named. */
export function useStateChange(title: string, number: number | undefined, against?: number) {
  return useQuery({
    queryKey: ["listing-change", title, number, against],
    queryFn: () => call<Schemas["ListingDifference"]>(`${at(title)}/states/${number}/change${against ? `?against=${against}` : ""}`),
    enabled: number !== undefined,
    staleTime: Infinity,
  });
}

export function useShown(title: string, storefront: string, language: string, form: string, draft: boolean) {
  const asked = new URLSearchParams({ storefront, language, form, draft: String(draft) });
  return useQuery({
    queryKey: ["listing-shown", title, asked.toString()],
    queryFn: () => call<Shown>(`${at(title)}/shown?${asked}`),
    enabled: Boolean(storefront && language && form),
    placeholderData: (before) => before,
  });
}

export function useRating(title: string) {
  return useQuery({ queryKey: ["listing-rating", title], queryFn: () => call<Rating>(`${at(title)}/rating`) });
}

export function useAffirm(title: string) {
  return useAct(title, (said: { number: number; name: string }) =>
    call<Rating>(`${at(title)}/rating/affirm`, { method: "POST", body: said }),
  );
}

export function useLinks(title: string) {
  return useQuery({
    queryKey: ["listing-links", title],
    queryFn: () => call<Schemas["LinksOut"]>(`${at(title)}/links`),
    refetchInterval: 10_000,
  });
}

export function useLookAtLinks(title: string) {
  return useAct(title, () => call(`${at(title)}/links/look`, { method: "POST" }));
}

/** A picture in the size of a storefront. */
export function pictureAddress(title: string, digest: string, storefront: string, form: string): string {
  return `/api/v1${at(title)}/pictures/${digest}?storefront=${storefront}${form ? `&form=${form}` : ""}`;
}
